// Package acts puts the thresholds of groups, BMS, charger, device and meter in the order in which they are reached, at
// the top and at the bottom (rules §17).
//
// Method. Under a current the bank's voltage is its rest voltage at its charge plus the current times its resistance; a
// threshold of the whole is reached at the charge where that voltage is. A threshold of one group is reached by the
// fullest group at the top and by the emptiest at the bottom: that much earlier. A delay is charge that flows
// meanwhile.
package acts

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

const rule = "rules §17"

// Threshold is one voltage at which something happens. Group says it is of one group, else of the whole.
type Threshold struct {
	Name        string
	Top         bool // reached while charging; else while discharging
	Group       bool
	Volts       float64
	DelayS      float64
	Disconnects bool
	Damages     bool // of a device, past which it is damaged
}

// Bank is what the thresholds stand on. SpreadShare is how far the fullest group is above, and the emptiest below, the
// others, a fraction of capacity. Amps are those of charge and of discharge, both positive.
type Bank struct {
	Chemistry     chem.ID
	Curve         *chem.Curve
	Series        int
	Ah            float64
	MOhm          float64 // of the whole, 0 takes the typical one
	ChargeAmps    float64
	DischargeAmps float64
	SpreadShare   float64
}

// Act is a threshold with where it is reached: a charge above full, or below empty, where the rest curve has ended and
// the voltage still moves.
type Act struct {
	Name        string  `json:"name"`
	Volts       float64 `json:"volts"`
	Group       bool    `json:"group"`
	SoC         float64 `json:"soc"` // of the bank, when it acts
	RestVolts   float64 `json:"rest_v"`
	Disconnects bool    `json:"disconnects"`
	Damages     bool    `json:"damages,omitempty"`
	DelayS      float64 `json:"delay_s"`
}

// Result is the two orders, the first to act first.
type Result struct {
	Top      []Act             `json:"top"`
	Bottom   []Act             `json:"bottom"`
	Findings []finding.Finding `json:"findings"`
}

// Usual are the thresholds of a BMS and of a charger that are usual for a chemistry, and of a device where its cut-off
// and highest voltage are known (0 for not).
func Usual(k chem.Chemistry, series int, deviceCutoff, deviceMax float64) []Threshold {
	s := float64(series)
	out := []Threshold{
		{Name: "charger's setting", Top: true, Volts: s * k.Settings.ChargerVolts},
		{Name: "BMS group over-voltage", Top: true, Group: true, Volts: k.Settings.OverVolts, DelayS: 2,
			Disconnects: true},
		{Name: "group charge limit", Top: true, Group: true, Volts: k.ChargeLimitVolts},
		{Name: "BMS group under-voltage", Group: true, Volts: k.Settings.UnderVolts, DelayS: 2, Disconnects: true},
		{Name: "group floor", Group: true, Volts: k.FloorVolts},
	}
	if deviceCutoff > 0 {
		out = append(out, Threshold{Name: "device's cut-off", Volts: deviceCutoff})
	}
	if deviceMax > 0 {
		out = append(out, Threshold{Name: "device's absolute maximum", Top: true, Volts: deviceMax, Damages: true})
	}
	return out
}

// Order puts the thresholds in order. It fails, saying what was expected, for a bank or a threshold that cannot be.
func Order(b Bank, ts []Threshold) (Result, error) {
	r := Result{Top: []Act{}, Bottom: []Act{}, Findings: []finding.Finding{}}
	k, err := chem.Lookup(b.Chemistry)
	if err != nil {
		return r, err
	}
	k = k.WithCurve(b.Curve)
	for _, x := range []struct {
		name         string
		v, low, high float64
	}{{"series", float64(b.Series), 1, 1000}, {"capacity", b.Ah, 0.01, 1e6}, {"resistance", b.MOhm, 0, 1e6},
		{"charge current", b.ChargeAmps, 0, 1e5}, {"discharge current", b.DischargeAmps, 0, 1e5},
		{"spread", b.SpreadShare, 0, 0.5}} {
		if !(x.v >= x.low && x.v <= x.high) {
			return r, fmt.Errorf("%s %v: expected %v to %v", x.name, x.v, x.low, x.high)
		}
	}
	if b.MOhm == 0 {
		t := k.TypicalMOhm(b.Ah)
		b.MOhm = float64(b.Series) * math.Sqrt(t.Low*t.High)
		r.Findings = append(r.Findings, finding.New(finding.Note,
			codeResistanceTypical).About("bank").Reads(math.Round(b.MOhm*100)/100, "mΩ").
			From(known.Assumed).By(rule).
			Says("Resistance not given: typical for this chemistry and capacity, %.1f mΩ of the bank.", b.MOhm).
			Then("Measure it by a load step."))
	}
	for _, t := range ts {
		if !(t.Volts > 0 && t.Volts < 2000 && t.DelayS >= 0 && t.DelayS < 1e6) {
			return r, fmt.Errorf("%s: %v V after %v s: expected a voltage and a delay", t.Name, t.Volts, t.DelayS)
		}
		a := reached(b, k, t)
		if t.Top {
			r.Top = append(r.Top, a)
		} else {
			r.Bottom = append(r.Bottom, a)
		}
	}
	slices.SortStableFunc(r.Top, func(a, c Act) int { return order(a, c, 1) })
	slices.SortStableFunc(r.Bottom, func(a, c Act) int { return order(a, c, -1) })
	r.judge(b, k)
	return r, nil
}

func order(a, b Act, sign int) int {
	if a.SoC != b.SoC {
		return sign * cmp.Compare(a.SoC, b.SoC)
	}
	return cmp.Compare(float64(sign)*a.Volts, float64(sign)*b.Volts)
}

// reached is where a threshold acts, its delay included. Beyond the curve's end voltage goes on rising with charge:
// there the charge counts on as if the last slope went on, so that the order stays right.
func reached(b Bank, k chem.Chemistry, t Threshold) Act {
	s := float64(b.Series)
	amps, sign := b.ChargeAmps, 1.0
	if !t.Top {
		amps, sign = b.DischargeAmps, -1
	}
	rest := t.Volts - sign*amps*b.MOhm/1000
	if t.Group {
		rest = t.Volts - sign*amps*b.MOhm/1000/s
	} else {
		rest /= s
	}
	a := Act{Name: t.Name, Volts: t.Volts, Group: t.Group, RestVolts: rest, Disconnects: t.Disconnects,
		Damages: t.Damages, DelayS: t.DelayS}
	a.SoC = extended(k.Curve, rest)
	if t.Group {
		a.SoC -= sign * b.SpreadShare
	}
	a.SoC += sign * amps * t.DelayS / 3600 / b.Ah
	return a
}

func extended(c chem.Curve, volts float64) float64 {
	const edge = 0.01
	switch {
	case volts > c.Volts(1):
		return 1 + (volts-c.Volts(1))/max(c.Volts(1)-c.Volts(1-edge), 1e-6)*edge
	case volts < c.Volts(0):
		return -(c.Volts(0) - volts) / max(c.Volts(edge)-c.Volts(0), 1e-6) * edge
	}
	return c.SoC(volts)
}

// judge says what acts first, what ends it, and what stands behind that.
func (r *Result) judge(b Bank, k chem.Chemistry) {
	r.way("top", r.Top, "charge limit")
	r.way("bottom", r.Bottom, "floor")
	r.Findings = finding.Sorted(r.Findings)
}

func (r *Result) way(name string, acts []Act, limit string) {
	if len(acts) == 0 {
		return
	}
	add := func(l finding.Level, code, subject string, a Act, text, do string) {
		r.Findings = append(r.Findings, finding.New(l, code).About(subject).
			Reads(math.Round(a.SoC*1000)/10, "%").By(rule).
			Says("%s", text).
			Then("%s", do))
	}
	first := acts[0]
	behind, cells := []string{}, -1
	for i, a := range acts {
		if a.Name == "group "+limit {
			cells = i
		}
		if a.Disconnects {
			behind = append(behind, a.Name)
		}
	}
	if first.Disconnects {
		add(finding.Caution, "bms-first-"+name, first.Name, first, fmt.Sprintf("At the %s the BMS acts first, at %.0f "+
			"%%: "+
			"routine use ends on its trip.", name, first.SoC*100),
			map[string]string{"top": "Lower the charger's setting, or balance first.",
				"bottom": "Raise the device's cut-off, or balance first."}[name])
	}
	if at := slices.IndexFunc(acts, func(a Act) bool { return a.Damages }); at >= 0 {
		ends := slices.IndexFunc(acts, func(a Act) bool { return !a.Damages && a.Name != "group "+limit })
		opens := slices.IndexFunc(acts, func(a Act) bool { return a.Disconnects })
		switch {
		case ends < 0 || at < ends:
			add(finding.Stop, codeDamageFirst, acts[at].Name, acts[at], fmt.Sprintf("The %s is passed before anything "+
				"acts: routine charging damages the device.", acts[at].Name), "A lower setting of the charger, or "+
				"fewer groups.")
		case opens < 0 || at < opens:
			add(finding.Stop, codeDamageBeforeBMS, acts[at].Name, acts[at], fmt.Sprintf("The %s is passed before "+
				"anything disconnects: the charger alone stands between.", acts[at].Name), "A BMS whose pack trip "+
				"lies below it, or fewer groups.")
		}
	}
	if cells == 0 {
		add(finding.Stop, "limit-first-"+name, first.Name, first, fmt.Sprintf("At the %s a group passes its %s before "+
			"anything acts.", name, limit), "Change the settings so that something disconnects before.")
	}
	switch {
	case len(behind) == 0:
		add(finding.Stop, "nothing-behind-"+name, "bank", first, fmt.Sprintf("At the %s nothing disconnects: what "+
			"acts first only stops by itself.", name), "A BMS with its own switch, set for every group.")
	case len(behind) == 1 && first.Disconnects:
		add(finding.Caution, "nothing-behind-"+name, "bank", first, fmt.Sprintf("At the %s nothing stands behind %s.",
			name, first.Name), "Let the charger or the device end it, and the BMS stand behind.")
	}
}
