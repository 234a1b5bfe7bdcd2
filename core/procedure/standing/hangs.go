package standing

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/ways"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
	"pandrel/core/module/survey"
)

// What keeps a bank from being charged below freezing.
const (
	FrostBMS     = "bms"
	FrostSwitch  = "switch"
	FrostRule    = "rule"
	FrostIndoors = "indoors"
	// "" is nothing that is known.
)

// frosts are their words.
var frosts = map[string]string{"": "", FrostBMS: "its BMS", FrostSwitch: "a switch by temperature",
	FrostRule: "a written " +
		"rule who charges when", FrostIndoors: "it stands indoors when it is charged"}

// checkHangs says what cannot be used of what hangs on it.
func (c Cells) checkHangs() (field, text string) {
	if _, err := ways.Read(c.Ways); err != nil {
		return "ways", err.Error()
	}
	_, known := frosts[c.FrostBy]
	switch {
	case len(c.Ways) > 4000:
		return "ways", "expected at most 4000 characters"
	case !slices.Contains([]string{"", "yes", "no"}, c.Freezes):
		return "freezes", "expected yes, no or not known"
	case !known:
		return "frost_by", "expected its BMS, a switch by temperature, a written rule, indoors, or nothing"
	case !(c.DayAh >= 0 && c.DayAh <= 1e5):
		return "day_ah", "expected 0 (not known) to 100 000 Ah"
	case !(c.DayWh >= 0 && c.DayWh <= 1e8):
		return "day_ah", "expected 0 (not known) to 100 000 kWh"
	}
	for _, n := range c.May {
		if n < 1 || n > 400 {
			return "series", "expected counts from 1 to 400"
		}
	}
	return "", ""
}

// Hangs judges what hangs on a bank that stands at now volts, 0 for not read, and at full volts when it is full.
func (c Cells) Hangs(now, full float64) (out []finding.Finding) {
	list, err := ways.Read(c.Ways)
	if err != nil { // it was checked when it was kept
		return nil
	}
	b := ways.Bank{NowVolts: now, FullVolts: full, Opens: c.Opens == OpensYes}
	if ch, err := chem.Lookup(c.Chemistry); err == nil {
		b.LowVolts = float64(c.Series) * ch.FloorVolts
	}
	out = ways.Judge(b, list)
	if c.Freezes == "yes" && c.FrostBy == "" {
		out = append(out, finding.New(finding.Stop, codeFrost).About("bank").By("hazards").
			Says("It can freeze there, and nothing is known that keeps it from being charged below 0 °C: "+
				"lithium plates out, and the cells are lost or worse.").
			Then("A switch by temperature in the charger's line, a written rule who charges when, or the bank "+
				"indoors: fit or write it, and say which under 'Its inside'. Until then no "+
				"charge.").At(finding.PlaceInside))
	}
	return finding.Sorted(out)
}

// Frost is what keeps it from charging below freezing, in a sentence; "" where nobody said that it freezes.
func (c Cells) Frost() string {
	if c.Freezes != "yes" || c.FrostBy == "" {
		return ""
	}
	return "It can freeze there. What keeps it from being charged then, as was said: " + frosts[c.FrostBy] + "."
}

// Days is how long it lasts at what is used a day, "" where that is not known: at most, since no bank gives all that
// its label says. pct is how full it is, per cent, nil for not known.
func (c Cells) Days(pct *[2]float64) string {
	used, holds, unit := c.DayAh, c.Ah, "Ah"
	if c.DayWh > 0 {
		used, holds, unit = c.DayWh, c.Wh, "Wh"
		if ch, err := chem.Lookup(c.Chemistry); holds == 0 && err == nil {
			holds = c.Ah * float64(c.Series) * ch.NominalVolts
		}
	}
	if used <= 0 || holds <= 0 {
		return ""
	}
	text := fmt.Sprintf("At %s %s a day it lasts at most %.0f days from full, by the %s %s that are said of it",
		numeral.Text(used), unit, math.Floor(holds/used), numeral.Text(math.Round(holds*10)/10), unit)
	if pct != nil {
		text += fmt.Sprintf(", and from now at most %.1f", holds*pct[1]/100/used)
	}
	return text + "."
}

// Fits says which of the counts and chemistries the volts end to end allow where its groups were not counted, what it
// could reach, and which reading would tell the counts apart.
func (c Cells) Fits(digit, rest float64) string {
	if len(c.May) < 2 || c.ReadV <= 0 {
		return ""
	}
	var parts, tells []string
	low, high := math.Inf(1), 0.0
	for _, n := range c.May {
		each := c.ReadV / float64(n)
		of := survey.MayBe(c.Chemistry, nil, []float64{each}, digit/float64(n), rest, 0).Chemistries
		if len(of) == 0 {
			parts = append(parts, fmt.Sprintf("%d × %.3f V: none", n, each))
			continue
		}
		parts = append(parts, fmt.Sprintf("%d × %.3f V: %s", n, each, survey.Names(of, "or")))
		tells = append(tells, fmt.Sprintf("%.2f V says %d", each, n))
		for _, id := range of {
			if ch, err := chem.Lookup(id); err == nil {
				low, high = min(low, float64(n)*ch.ChargeLimitVolts), max(high, float64(n)*ch.ChargeLimitVolts)
			}
		}
	}
	text := fmt.Sprintf("%s V end to end allow %s.", numeral.Text(c.ReadV), strings.Join(parts, "; "))
	if high == 0 {
		return text + " Count again, and read again."
	}
	text += fmt.Sprintf(" At full charge %.1f to %.1f V while that is open: the gates of the higher one hold.", low,
		high)
	if len(tells) > 1 {
		text += " One group read at rest settles the count: " + strings.Join(tells, ", ") + "."
	}
	return text
}

// mostVolts is the highest that it can reach by the counts and chemistries that are open.
func (c Cells) mostVolts() (v float64) {
	for _, n := range c.May {
		each := highestGroup
		if ch, err := chem.Lookup(c.Chemistry); err == nil {
			each = ch.ChargeLimitVolts
		}
		v = max(v, float64(n)*each)
	}
	return v
}

// Blind is where its volts cannot tell the charge, to 5 %, with a meter of which nothing is known; "" where they tell
// it all along, or where its inside is not known.
func (c Cells) Blind() string {
	ch, err := chem.Lookup(c.Chemistry)
	if err != nil || c.Series < 1 {
		return ""
	}
	from, to := -1, -1
	for pct := 5; pct <= 95; pct += 5 {
		v := ch.Curve.Volts(float64(pct) / 100)
		u := ch.RestUncertaintyVolts(limits.MeterShare*v+limits.MeterDigitVolts, chem.FullRestMinutes)
		if ch.Curve.SoCInterval(v, u).Width() < chem.CannotTellWidth {
			continue
		}
		if to = pct; from < 0 {
			from = pct
		}
	}
	if from < 0 {
		return ""
	}
	n := float64(c.Series)
	return fmt.Sprintf("Between %.1f and %.1f V end to end (%d to %d %%) voltage cannot tell the charge.",
		n*ch.Curve.Volts(float64(from)/100), n*ch.Curve.Volts(float64(to)/100), from, to)
}

// Shares is how strings carry what flows where their resistances are not known, "" for one string.
func (b Bank) Shares() string {
	n := float64(b.Strings)
	if n < 2 {
		return ""
	}
	odd := 0.5 / (n - 0.5) // of one with twice the resistance of the others
	return fmt.Sprintf("Equal strings carry %.1f %% each. One of twice the resistance carries %.1f %%, the "+
		"others %.1f %%: which it is, nobody has measured. A fuse for each string follows from its current, once "+
		"one is known.", 100/n,
		odd*100, (1-odd)/(n-1)*100)
}

// Owned says which part of a bank is whose, by the strings of each; kWh of each are not known unless each string is
// metered. It fails for a string that is not there, or that two own.
func (c Cells) Owned(count int) (string, error) {
	var parts []string
	taken := map[int]string{}
	for _, piece := range strings.Split(c.Owners, ";") {
		if piece = strings.TrimSpace(piece); piece == "" {
			continue
		}
		name, list, ok := strings.Cut(piece, ":")
		own, err := numeral.Counts(list)
		if !ok || err != nil || len(own) == 0 {
			return "", fmt.Errorf("%q: expected a name and its strings, such as: A: 1 to 3; B: 4, 5", piece)
		}
		name = strings.TrimSpace(name)
		for _, k := range own {
			if k > count || taken[k] != "" {
				return "", fmt.Errorf("string %d of %s: expected one of %d that nobody else owns", k, name, count)
			}
			taken[k] = name
		}
		parts = append(parts, fmt.Sprintf("%s owns %d of %s", name, len(own), numeral.Count(count, "string")))
	}
	if len(parts) == 0 {
		return "", nil
	}
	return strings.Join(parts, ", ") + ": by strings alone. How many kWh are whose is not known unless each " +
		"string is metered.", nil
}
