package whole

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
	"pandrel/core/module/survey"
)

// Read is a sitting in which not every group of a bank was read by itself: only end to end, only some, or only how far
// apart they are. What was not read is never filled in.
type Read struct {
	Groups []GroupRead `json:"groups,omitempty"` // those that were read
	TotalV float64     `json:"total_v,omitempty"`
	// TotalDigit is the weight of the last digit that was written, 0 not known.
	TotalDigit float64 `json:"total_digit,omitempty"`
	Count      int     `json:"count,omitempty"`   // groups that were read, where their volts were not written down
	ApartV     float64 `json:"apart_v,omitempty"` // and how far apart they are at most, 0 not known
}

// GroupRead is one group's voltage, counted from 1 at the main negative.
type GroupRead struct {
	Group int     `json:"group"`
	Volts float64 `json:"volts"`
}

// Is reports whether anything was read.
func (r Read) Is() bool { return len(r.Groups) > 0 || r.TotalV != 0 || r.Count > 0 }

// read is how many groups somebody has read.
func (r Read) read() int { return max(len(r.Groups), r.Count) }

// sumShare is how far a total may lie off the sum of its groups: both are read with one meter in one sitting.
const sumShare = 0.01

// Beside says where what was read of a bank as a whole contradicts the volts of its groups, all of which were read.
func (r Read) Beside(volts []float64) (field, text string) {
	sum := 0.0
	for _, v := range volts {
		sum += v
	}
	low, high := slices.Min(volts), slices.Max(volts)
	switch {
	case r.TotalV != 0 && math.Abs(r.TotalV-sum) > max(sumShare*sum, r.TotalDigit):
		return "total_v", fmt.Sprintf("%s V end to end, and the groups add up to %.2f V: read both again, one "+
			"of them is wrong",
			written(r.TotalV, r.TotalDigit), sum)
	case r.Count > 0 && r.Count != len(volts):
		return "read_count", fmt.Sprintf("%s written down: expected as many", numeral.Count(len(volts), "voltage"))
	case r.ApartV > 0 && high-low > r.ApartV+0.0005:
		return "apart_mv", fmt.Sprintf("the voltages above are %.0f mV apart: expected no less", (high-low)*1000)
	}
	return "", ""
}

// Missing says what a sitting cannot be, by its field.
func (r Read) Missing(series int) (field, text string) {
	switch n := r.read(); {
	case series < 1:
		return "series", "expected how many groups are in series: volts end to end say nothing of a group without it"
	case r.TotalV == 0 && len(r.Groups) == 0:
		return "total_v", "expected volts: end to end, or of each group that was read"
	case r.TotalV != 0 && !(r.TotalV > 0 && r.TotalV < 2000):
		return "total_v", "expected volts end to end, above 0 to 2000 V, the probes the right way round"
	case n > series:
		return "read_count", fmt.Sprintf("%s read of %d: expected no more than there are", numeral.Count(n, "group"),
			series)
	case r.Count > 0 && len(r.Groups) > 0 && r.Count != len(r.Groups):
		return "read_count", fmt.Sprintf("%s written down: expected as many", numeral.Count(len(r.Groups),
			"voltage"))
	case !(r.ApartV >= 0 && r.ApartV < 5):
		return "apart_mv", "expected how far apart the groups are at most, 0 to 5000 mV"
	case r.ApartV > 0 && n < 2:
		return "apart_mv", "expected how many groups that was read of: what was not read has no spread"
	}
	for _, g := range r.Groups {
		if g.Group < 1 || g.Group > series {
			return "grid", fmt.Sprintf("group %d: there are %d", g.Group, series)
		}
	}
	return "", ""
}

// JudgeRead judges a bank of which not every group was read. rest and accuracy are as for JudgeSurvey. It fails with a
// SlipError for what no sitting can be.
func JudgeRead(b Bank, r Read, rest, accuracy float64, p survey.Policy) (Standing, error) {
	if field, text := r.Missing(b.Series); field != "" {
		return Standing{}, &SlipError{Field: field, Text: text}
	}
	s := Standing{TotalV: r.TotalV, Unread: b.Series - r.read(), SpreadMV: r.ApartV * 1000, ReadCount: r.read()}
	if len(r.Groups) > 0 {
		if err := s.some(b, r, rest, accuracy, p); err != nil {
			return Standing{}, err
		}
	}
	if r.TotalV > 0 {
		s.total(b, r, rest, accuracy)
	}
	if b.Chemistry == "" {
		s.Findings = append(s.Findings, undeclared(b))
	}
	if s.Unread > 0 {
		s.Findings = append(s.Findings, finding.New(finding.Caution, codeGroupsNotRead).About(b.Name).
			Reads(float64(s.Unread), "groups").Against(0).By("rules §3, §18").
			Says("%s: a dead, a reversed or an overfull one does not show, and no spread and no balance can be said.",
				notRead(s.Unread, b.Series)).
			Then("Read each from the main negative up before it is charged, or type what a monitor shows."))
	}
	s.Findings = finding.Sorted(s.Findings)
	s.Level = finding.Worst(s.Findings)
	s.sayRead(b, r)
	return s, nil
}

func notRead(n, of int) string {
	switch {
	case n == of:
		return fmt.Sprintf("Groups not read: none of its %d", of)
	case n == 1:
		return fmt.Sprintf("1 of its %s was not read", numeral.Count(of, "group"))
	}
	return fmt.Sprintf("%d of its %d groups were not read", n, of)
}

// some judges the groups that were read.
func (s *Standing) some(b Bank, r Read, rest, accuracy float64, p survey.Policy) error {
	m := survey.Module{Name: b.Name, Chemistry: b.Chemistry, Curve: b.Curve, RatedAh: b.Ah, Series: b.Series,
		RestMinutes: rest, AccuracyVolts: accuracy}
	var volts []float64
	for _, g := range r.Groups {
		volts = append(volts, g.Volts)
	}
	digit := numeral.LastDigit(volts...)
	for g := range b.Series {
		k := slices.IndexFunc(r.Groups, func(x GroupRead) bool { return x.Group == g+1 })
		if k < 0 {
			m.Unread = append(m.Unread, g+1)
			continue
		}
		v := r.Groups[k].Volts
		m.Readings = append(m.Readings, survey.Reading{Group: g + 1, Volts: v, LastDigit: digit,
			Confirmed: g < len(b.Before) && survey.Confirms(b.Chemistry, b.Before[g], v)})
	}
	judged, err := survey.JudgeGroups(m, p)
	if err != nil {
		return err
	}
	s.Survey, s.Findings = judged, slices.Clone(judged.Findings)
	s.Highest, s.Lowest = r.Groups[0].Group, r.Groups[0].Group
	s.HighV, s.LowV = volts[0], volts[0]
	for _, g := range r.Groups {
		if g.Volts > s.HighV {
			s.Highest, s.HighV = g.Group, g.Volts
		}
		if g.Volts < s.LowV {
			s.Lowest, s.LowV = g.Group, g.Volts
		}
	}
	if len(volts) > 1 {
		s.SpreadMV = (s.HighV - s.LowV) * 1000
	}
	s.odd()
	s.full(b, volts, digit, rest, accuracy)
	return nil
}

// total judges what stands end to end: the mean of its groups, which is no group's voltage.
func (s *Standing) total(b Bank, r Read, rest, accuracy float64) {
	mean := r.TotalV / float64(b.Series)
	if len(r.Groups) == 0 { // else what was read of groups says more
		s.full(b, []float64{mean}, max(r.TotalDigit, 0.001)/float64(b.Series), rest, accuracy)
	} else {
		s.difference(b, r)
	}
	k, err := chem.Lookup(b.Chemistry)
	if err != nil {
		return
	}
	of := finding.New(finding.Stop, codeMeanOut).About(b.Name).Reads(math.Round(mean*1000)/1000, "V").By("rules §3")
	switch {
	case mean > k.ChargeLimitVolts:
		s.Findings = append(s.Findings, of.Against(k.ChargeLimitVolts).
			Says("%.2f V in all are %.3f V for each of %s on average, above the charge limit of %.2f "+
				"V.", r.TotalV,
				mean, numeral.Count(b.Series, "group"), k.ChargeLimitVolts).
			Then("Count the groups again, and read each. Nothing charges it until that is settled."))
	case mean < k.FloorVolts:
		s.Findings = append(s.Findings, of.
			Against(k.FloorVolts).
			Says("%.2f V in all are %.3f V for each of %s on average, below the floor of %.2f V.",
				r.TotalV, mean,
				numeral.Count(b.Series, "group"), k.FloorVolts).
			Then("Count the groups again, and read each: at least one is empty. No charge until each was read."))
	}
}

// difference judges what the total leaves for the groups that nobody read: a dead or a reversed one hides there.
func (s *Standing) difference(b Bank, r Read) {
	if s.Unread < 1 {
		return
	}
	left := r.TotalV
	for _, g := range r.Groups {
		left -= g.Volts
	}
	n := float64(s.Unread)
	unsure := (r.TotalDigit + 0.001*float64(len(r.Groups)) + limits.MeterShare*math.Abs(left)) / n
	mean, low, high := left/n, survey.DeadVolts, 0.0
	for _, k := range chem.All() {
		high = max(high, k.ChargeLimitVolts)
	}
	if k, err := chem.Lookup(b.Chemistry); err == nil {
		low, high = k.FloorVolts, k.ChargeLimitVolts
	}
	f := finding.New(finding.Stop, codeUnreadOut).About(b.Name).Reads(math.Round(mean*1000)/1000, "V").By("rules §3")
	which := "the one group that was not read"
	if s.Unread > 1 {
		which = fmt.Sprintf("each of the %s that were not read, on average,", numeral.Count(s.Unread, "group"))
	}
	switch {
	case mean+unsure < low:
		s.Findings = append(s.Findings, f.Against(low).
			Says("What was read leaves %.2f V for %s: below %.2f V.", mean, which, low).
			Then("Read it by itself. No charge until then: it may be dead or reversed."))
	case mean-unsure > high:
		s.Findings = append(s.Findings, f.Against(high).
			Says("What was read leaves %.2f V for %s: above %.2f V.", mean, which, high).
			Then("Read it by itself, and count the groups again. Nothing charges it until then."))
	}
}

// Stops are the findings of a sitting that hold the bank: what was read, and not that nobody declared its chemistry,
// which the bank is asked for anyway.
func (s Standing) Stops() []finding.Finding {
	return slices.DeleteFunc(finding.Standing(s.Findings),
		func(f finding.Finding) bool { return f.Code == CodeUndeclared })
}

// full says how full the bank is as far as a rest voltage can tell.
func (s *Standing) full(b Bank, volts []float64, digit, rest, accuracy float64) {
	c := survey.MayBe(b.Chemistry, b.Curve, volts, digit, rest, accuracy)
	if s.SoCPct = c.Pct; b.Chemistry == "" {
		s.Chemistries = c.Chemistries
	}
	lead := ""
	if len(s.Odd) > 0 && len(s.Odd) < len(s.Survey.Groups) {
		lead = "The others are"
	}
	s.charged = c.Full(lead)
}

// inFamily are the volts of the groups that are not odd ones, of all where each is.
func (s *Standing) inFamily(volts []float64) (out []float64) {
	for i, v := range volts {
		if !slices.Contains(s.Odd, i+1) {
			out = append(out, v)
		}
	}
	if len(out) == 0 {
		return volts
	}
	return out
}

// sayRead makes the sentence of a sitting that left groups out.
func (s *Standing) sayRead(b Bank, r Read) {
	var parts []string
	for _, f := range s.Findings {
		if f.Level >= finding.Stop {
			parts = append(parts, f.Text)
			break
		}
	}
	if r.TotalV > 0 {
		parts = append(parts, fmt.Sprintf("%s V in all, %.3f V for each of %s on average.", written(r.TotalV,
			r.TotalDigit), r.TotalV/float64(b.Series), numeral.Count(b.Series, "group")))
	}
	if len(r.Groups) > 0 {
		parts = append(parts, fmt.Sprintf("Of those that were read the highest is group %d with %.3f V, the "+
			"lowest group %d with %.3f V.", s.Highest, s.HighV, s.Lowest, s.LowV))
	} else if r.Count > 0 && r.ApartV > 0 {
		parts = append(parts, fmt.Sprintf("%d of %d groups were read, %.0f mV apart at most.", r.Count, b.Series,
			s.SpreadMV))
	}
	if s.charged != "" {
		parts = append(parts, s.charged)
	}
	if s.Unread > 0 {
		parts = append(parts, notRead(s.Unread, b.Series)+".")
	}
	s.Text = strings.Join(parts, " ")
}

// written is a voltage with the digits that it was written with.
func written(v, digit float64) string {
	switch {
	case digit >= 0.99:
		return fmt.Sprintf("%.0f", v)
	case digit >= 0.099:
		return fmt.Sprintf("%.1f", v)
	case digit > 0 && digit < 0.0099:
		return fmt.Sprintf("%.3f", v)
	}
	return fmt.Sprintf("%.2f", v)
}
