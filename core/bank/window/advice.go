package window

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Count is one series count judged for a device without regard to any stock's currents.
type Count struct {
	Series int
	Fits   bool
	Why    string // of a count that fails: the reason, in the words of its finding

	SettingVolts      float64 // of the charger
	FullSoC, EmptySoC float64 // what it loses at the top and at the bottom, without sag
	Usable            float64 // share of the charge between them, at least 0
}

// Counts judges every series count from the least to the most that could come near the device, for one
// chemistry: which fit, and why each of the others fails. It fails when the need cannot be read.
func Counts(need Need, id chem.ID, own *chem.Curve) ([]Count, error) {
	if err := check(&need); err != nil {
		return nil, err
	}
	c, err := chem.Lookup(id)
	if err != nil {
		return nil, err
	}
	c = c.WithCurve(own)
	var out []Count
	least := max(1, int(math.Floor(0.6*need.CutoffVolts/c.NominalVolts)))
	most := need.Series
	if need.Series == 0 {
		most = int(math.Ceil(1.5 * need.highest() / c.NominalVolts))
	} else {
		least = need.Series
	}
	for s := least; s <= most; s++ {
		need := need.taking(s, c)
		o := Candidate{Series: s, Chemistry: id, LoadAmps: need.amps()}
		if o.charging(need, c) {
			o.discharging(need, c)
			o.starting(need, c)
		} else {
			o.Refused = true
		}
		k := Count{Series: s, Fits: !o.Refused, SettingVolts: o.SettingVolts, FullSoC: o.FullSoC, EmptySoC: o.EmptySoC,
			Usable: max(0, o.UsableShare)}
		for _, f := range o.Findings {
			if f.Level == finding.Refuse && k.Why == "" {
				k.Why = strings.TrimPrefix(f.Text, "Refused: ")
			}
		}
		out = append(out, k)
	}
	return out, nil
}

// Advice answers 'which series count is right?' for one stock: the counts that fit the device, those its
// modules can make, and what would have to change where the two do not meet.
type Advice struct {
	Type      string
	Chemistry chem.ID
	Counts    []Count
	Makes     []int // counts that whole modules make, within the range of Counts
	MakesHalf []int // counts that need a part of a module, by its middle posts
	Text      string
	Do        string
}

// Advise judges a stock against a device.
func Advise(need Need, st Stock) (Advice, error) {
	counts, err := Counts(need, st.Chemistry, st.Curve)
	if err != nil {
		return Advice{}, err
	}
	a := Advice{Type: st.Type, Chemistry: st.Chemistry, Counts: counts}
	low, high := counts[0].Series, counts[len(counts)-1].Series
	for k := 1; k*st.Series <= high && k <= len(st.Modules); k++ {
		if k*st.Series >= low {
			a.Makes = append(a.Makes, k*st.Series)
		}
		for _, part := range st.Posts {
			for _, n := range []int{part, st.Series - part} {
				if s := (k-1)*st.Series + n; s >= low && s <= high && !slices.Contains(a.MakesHalf, s) {
					a.MakesHalf = append(a.MakesHalf, s)
				}
			}
		}
	}
	slices.Sort(a.MakesHalf)
	a.say(need, st)
	return a, nil
}

func (a *Advice) fits(s int) bool {
	return slices.ContainsFunc(a.Counts, func(c Count) bool { return c.Series == s && c.Fits })
}

// say writes the answer in words.
func (a *Advice) say(need Need, st Stock) {
	var fit []int
	for _, c := range a.Counts {
		if c.Fits {
			fit = append(fit, c.Series)
		}
	}
	name := strings.ToUpper(string(a.Chemistry))
	if c, err := chem.Lookup(a.Chemistry); err == nil {
		name = c.Name
	}
	if len(fit) == 0 {
		a.Text = fmt.Sprintf("No count of %s groups fits this device: its window from %.1f to %.1f V is too narrow.",
			name, need.CutoffVolts, need.ChargeMaxVolts)
		a.Do = "Lower its cut-off, raise its charge setting, or use another device or chemistry."
		return
	}
	a.Text = fmt.Sprintf("%s groups in series of %s fit this device", Runs(fit), name)
	whole := slices.ContainsFunc(a.Makes, a.fits)
	switch {
	case whole:
		var good []int
		for _, s := range a.Makes {
			if a.fits(s) {
				good = append(good, s)
			}
		}
		a.Text += fmt.Sprintf("; modules of %s (%s) make %s.", st.Type, numeral.Count(st.Series, "group"), Runs(good))
		return
	case len(a.Makes) == 0 && len(st.Modules)*st.Series < fit[0]:
		a.Text += fmt.Sprintf("; the %s of %s in stock make %d at most.", numeral.Count(len(st.Modules), "module"),
			st.Type,
			len(st.Modules)*st.Series)
		a.Do = fmt.Sprintf("%s in series are needed.",
			numeral.Count(int(math.Ceil(float64(fit[0])/float64(st.Series))), "module"))
	default:
		a.Text += fmt.Sprintf("; modules of %s with %d groups make none of them.", st.Type, st.Series)
	}
	for _, s := range a.MakesHalf {
		if a.fits(s) {
			a.Do = join(a.Do, fmt.Sprintf("A part of one module by its middle post makes %s: the other part "+
				"stays out, and is to be surveyed as a module of its own.", numeral.Count(s, "group")))
			break
		}
	}
	if s, change := a.deviceChange(need, fit); s > 0 {
		a.Do = join(a.Do, fmt.Sprintf("With %s: %s", numeral.Count(s, "group"), change))
	}
	if a.Do == "" {
		a.Do = "Use modules of another type, or another device."
	}
}

func join(a, b string) string {
	if a == "" {
		return b
	}
	return a + " " + b
}

// deviceChange finds the whole-module count nearest to those that fit and the settings a device would
// need for it: a charge setting for the usual ceiling, and a cut-off above the BMS's trip.
func (a *Advice) deviceChange(need Need, fit []int) (int, string) {
	best, gap := 0, math.MaxInt
	for _, s := range a.Makes {
		for _, f := range fit {
			if d := max(s-f, f-s); d < gap {
				best, gap = s, d
			}
		}
	}
	c, err := chem.Lookup(a.Chemistry)
	if best == 0 || err != nil {
		return 0, ""
	}
	s := float64(best)
	why := ""
	for _, k := range a.Counts {
		if k.Series == best {
			why = k.Why
		}
	}
	return best, fmt.Sprintf("%s A device that charges to %.1f V, bears %.1f V and cuts off at %.1f V would do.", why,
		s*c.Settings.ChargerVolts, math.Ceil(s*c.Settings.OverVolts/(1-TripMargin)),
		math.Ceil(s*c.Settings.UnderVolts+SettingToleranceV))
}

// Runs writes whole numbers with runs drawn together: 14 to 16 and 18.
func Runs(list []int) string {
	list = slices.Clone(list)
	slices.Sort(list)
	list = slices.Compact(list)
	var parts []string
	for i := 0; i < len(list); {
		k := i
		for k+1 < len(list) && list[k+1] == list[k]+1 {
			k++
		}
		switch {
		case k == i:
			parts = append(parts, fmt.Sprint(list[i]))
		case k == i+1:
			parts = append(parts, fmt.Sprint(list[i]), fmt.Sprint(list[k]))
		default:
			parts = append(parts, fmt.Sprintf("%d to %d", list[i], list[k]))
		}
		i = k + 1
	}
	if len(parts) < 2 {
		return strings.Join(parts, "")
	}
	return strings.Join(parts[:len(parts)-1], ", ") + " and " + parts[len(parts)-1]
}

// Fit is which series counts of a chemistry fit a device, whatever is in stock.
type Fit struct {
	Chemistry chem.ID
	Counts    []Count
	Text      string
}

// Fits answers which series counts of each chemistry fit a device. It fails when the need cannot be read.
func Fits(need Need) ([]Fit, error) {
	var out []Fit
	for _, c := range chem.All() {
		if need.Chemistry != "" && need.Chemistry != c.ID {
			continue
		}
		counts, err := Counts(need, c.ID, nil)
		if err != nil {
			return nil, err
		}
		f := Fit{Chemistry: c.ID, Counts: counts}
		var fit []int
		for _, k := range counts {
			if k.Fits {
				fit = append(fit, k.Series)
			}
		}
		f.Text = fmt.Sprintf("%s: no count fits.", c.Name)
		if len(fit) > 0 {
			f.Text = fmt.Sprintf("%s: %s groups in series.", c.Name, Runs(fit))
		}
		out = append(out, f)
	}
	return out, nil
}
