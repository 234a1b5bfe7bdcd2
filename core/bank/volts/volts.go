// Package volts turns volts into charge and charge into volts, for a group and for groups in series, at rest and under
// a load, with the interval that a voltage leaves open (rules §1 and §7).
//
// Method. The rest curve of the chemistry, or the type's own. Under a current the rest voltage is what is read plus the
// current times the resistance after 10 s. What a voltage cannot tell, it is not asked: on the flat stretch the answer
// is an interval of tens of per cent.
package volts

import (
	"fmt"
	"math"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

const rule = "rules §1"

// Bank is what is asked about. MOhm10s is its DC resistance after 10 s, post to post; 0 takes the typical range where
// Ah is known. Amps discharges where positive.
type Bank struct {
	Chemistry chem.ID
	Curve     *chem.Curve
	Series    int
	Ah        float64 // 0 not known
	MOhm10s   float64
	Amps      float64
	Accuracy  float64 // of the meter on the whole bank, volts; 0 takes 0.5 % of the reading and a digit
	RestMin   float64 // minutes without current; negative not known
}

// State is a charge with all that belongs to it. SoC is 0…1. Volts without another word are of the whole bank.
type State struct {
	SoC          float64 `json:"soc"`
	SoCLow       float64 `json:"soc_low"`
	SoCHigh      float64 `json:"soc_high"`
	RestVolts    float64 `json:"rest_v"`
	GroupVolts   float64 `json:"group_rest_v"`
	LoadVolts    float64 `json:"load_v"` // under the current, the middle of its range
	LoadVoltsLow float64 `json:"load_v_low"`
	LoadVoltsTop float64 `json:"load_v_high"`
	Flat         bool    `json:"flat"`
	CannotTell   bool    `json:"voltage_cannot_tell"`
	Beyond       string  `json:"beyond,omitempty"` // "below" or "above" the curve
}

func (b Bank) checked() (chem.Chemistry, error) {
	k, err := chem.Lookup(b.Chemistry)
	if err != nil {
		return k, err
	}
	if b.Series < 1 || b.Series > 1000 {
		return k, fmt.Errorf("series %d: expected 1 to 1000 groups", b.Series)
	}
	for _, v := range []float64{b.Ah, b.MOhm10s, b.Accuracy} {
		if !(v >= 0 && v < 1e6) {
			return k, fmt.Errorf("%v: expected 0 (not known) or more", v)
		}
	}
	if !(math.Abs(b.Amps) < 1e6) {
		return k, fmt.Errorf("current %v A: expected amps", b.Amps)
	}
	return k.WithCurve(b.Curve), nil
}

// Ohms is the range of the bank's resistance; known is false where nothing can be said.
func (b Bank) Ohms() (r chem.Interval, known bool) {
	if b.MOhm10s > 0 {
		return chem.Interval{Low: b.MOhm10s / 1000, High: b.MOhm10s / 1000}, true
	}
	k, err := chem.Lookup(b.Chemistry)
	if err != nil || b.Ah <= 0 {
		return r, false
	}
	t := k.TypicalMOhm(b.Ah)
	s := float64(b.Series) / 1000
	return chem.Interval{Low: t.Low * s, High: t.High * s}, true
}

// FromSoC is the bank at a charge, 0…1.
func FromSoC(b Bank, soc float64) (State, error) {
	k, err := b.checked()
	if err != nil {
		return State{}, err
	}
	if !(soc >= 0 && soc <= 1) {
		return State{}, fmt.Errorf("charge %v: expected 0 to 100 %%", soc)
	}
	g := k.Curve.Volts(soc)
	st := State{SoC: soc, SoCLow: soc, SoCHigh: soc, GroupVolts: g, RestVolts: g * float64(b.Series),
		Flat: k.Curve.Flat(g)}
	st.loaded(b)
	return st, nil
}

func (st *State) loaded(b Bank) {
	r, known := b.Ohms()
	st.LoadVolts, st.LoadVoltsLow, st.LoadVoltsTop = st.RestVolts, st.RestVolts, st.RestVolts
	if !known || b.Amps == 0 {
		return
	}
	x, y := st.RestVolts-b.Amps*r.Low, st.RestVolts-b.Amps*r.High
	st.LoadVolts, st.LoadVoltsLow, st.LoadVoltsTop = (x+y)/2, min(x, y), max(x, y)
}

// FromVolts is the bank at a voltage read at its posts, under its current where it has one.
func FromVolts(b Bank, read float64) (State, error) {
	k, err := b.checked()
	if err != nil {
		return State{}, err
	}
	s := float64(b.Series)
	if !(read/s > 0.1 && read/s < 10) {
		return State{}, fmt.Errorf("%v V on %s is %.2f V a group: expected the voltage of the whole", read,
			numeral.Count(b.Series, "group"), read/s)
	}
	u := b.Accuracy
	if u == 0 {
		u = 0.005*read + 0.01
	}
	low, high := read-u, read+u
	rest := read
	if b.Amps != 0 {
		if r, known := b.Ohms(); known {
			a, c := b.Amps*r.Low, b.Amps*r.High
			low, high, rest = low+min(a, c), high+max(a, c), read+(a+c)/2
		}
	}
	h := k.RestUncertaintyVolts(0, b.RestMin)
	if b.Amps != 0 {
		h = k.HysteresisVolts + chem.ShortRestVolts
	}
	st := State{RestVolts: rest, GroupVolts: rest / s, SoC: k.Curve.SoC(rest / s), SoCLow: k.Curve.SoC(low/s - h),
		SoCHigh: k.Curve.SoC(high/s + h)}
	st.Flat = k.Curve.Flat(st.GroupVolts)
	st.CannotTell = st.SoCHigh-st.SoCLow > chem.CannotTellWidth
	if k.Curve.Outside(st.GroupVolts) {
		st.Beyond = "above"
		if st.GroupVolts < k.Curve.Volts(0) {
			st.Beyond = "below"
		}
	}
	st.LoadVolts, st.LoadVoltsLow, st.LoadVoltsTop = read, read-u, read+u
	if b.Amps == 0 {
		st.LoadVolts, st.LoadVoltsLow, st.LoadVoltsTop = st.RestVolts, st.RestVolts, st.RestVolts
	}
	return st, nil
}

// JudgeState says what a state means for the cells.
func JudgeState(b Bank, st State) (fs []finding.Finding) {
	k, err := b.checked()
	if err != nil {
		return nil
	}
	add := func(l finding.Level, code string, limit float64, text, do string) {
		fs = append(fs, finding.New(l, code).About("group").Reads(round(st.GroupVolts), "V").Against(limit).By(rule).
			Says("%s", text).
			Then("%s", do))
	}
	g := st.GroupVolts
	switch {
	case g < k.NeverRechargeVolts:
		add(finding.Refuse, codeNeverRecharge, k.NeverRechargeVolts, fmt.Sprintf("%.3f V a group is below "+
			"never-recharge.", g),
			"No charge step. Read every group a second time; confirmed at rest it is quarantined.")
	case g < k.LookCloserVolts:
		add(finding.Caution, codeLookCloser, k.LookCloserVolts, fmt.Sprintf("%.3f V a group: very low.", g),
			"Slow recharge under watch, every group monitored.")
	case g > k.ChargeLimitVolts+chem.OverToleranceVolts:
		add(finding.Stop, codeOver, k.ChargeLimitVolts, fmt.Sprintf("%.3f V a group is above the charge limit.", g),
			"Read it again; no charging.")
	}
	if st.CannotTell {
		fs = append(fs, finding.New(finding.Note,
			codeVoltageCannotTell).About("bank").Reads(math.Round((st.SoCHigh-st.SoCLow)*100),
			"%").Against(chem.CannotTellWidth*100).By(rule).
			Says("Voltage cannot tell: anything from %.0f to %.0f %%.", st.SoCLow*100, st.SoCHigh*100).
			Then("Count the charge, or charge to full and start from there."))
	}
	return fs
}

// WindowResult is a window of charge in volts, or a window of volts in charge. Energy is from low to high.
type WindowResult struct {
	Low       State   `json:"low"`
	High      State   `json:"high"`
	UsableAh  float64 `json:"usable_ah"` // 0 where the capacity is not known
	UsableKWh float64 `json:"usable_kwh"`
	WholeKWh  float64 `json:"whole_kwh"`
	Share     float64 `json:"share"`
	ChargerV  float64 `json:"charger_v"` // the usual setting for these groups
	ChargerSo float64 `json:"charger_soc"`
	CutoffV   float64 `json:"usual_undervoltage_v"`
	CutoffSoC float64 `json:"usual_undervoltage_soc"`
	LimitV    float64 `json:"charge_limit_v"`
	FloorV    float64 `json:"floor_v"`
}

// Window is what lies between two charges.
func Window(b Bank, low, high float64) (w WindowResult, err error) {
	if w.Low, err = FromSoC(b, low); err != nil {
		return w, err
	}
	if w.High, err = FromSoC(b, high); err != nil {
		return w, err
	}
	if low >= high {
		return w, fmt.Errorf("window from %.0f to %.0f %%: expected the lower one first", low*100, high*100)
	}
	k, _ := b.checked()
	s := float64(b.Series)
	w.Share = high - low
	w.UsableAh = b.Ah * w.Share
	w.UsableKWh, w.WholeKWh = b.Ah*s*area(k.Curve, low, high)/1000, b.Ah*s*area(k.Curve, 0, 1)/1000
	w.ChargerV, w.CutoffV = s*k.Settings.ChargerVolts, s*k.Settings.UnderVolts
	w.ChargerSo, w.CutoffSoC = k.Curve.SoC(k.Settings.ChargerVolts), k.Curve.SoC(k.Settings.UnderVolts)
	w.LimitV, w.FloorV = s*k.ChargeLimitVolts, s*k.FloorVolts
	return w, nil
}

// WindowOfVolts is the same between two rest voltages of the whole bank.
func WindowOfVolts(b Bank, low, high float64) (WindowResult, error) {
	k, err := b.checked()
	if err != nil {
		return WindowResult{}, err
	}
	s := float64(b.Series)
	for _, v := range []float64{low, high} {
		if !(v/s > 0.1 && v/s < 10) {
			return WindowResult{}, fmt.Errorf("%v V on %s: expected volts of the whole bank", v,
				numeral.Count(b.Series, "group"))
		}
	}
	return Window(b, k.Curve.SoC(low/s), k.Curve.SoC(high/s))
}

// area is the mean rest voltage times the share, volts: the integral of the curve by Simpson's rule.
func area(c chem.Curve, low, high float64) float64 {
	const n = 200
	h := (high - low) / n
	sum := 0.0
	for i := range n {
		a := low + float64(i)*h
		sum += (c.Volts(a) + 4*c.Volts(a+h/2) + c.Volts(a+h)) / 6 * h
	}
	return sum
}

func round(v float64) float64 { return math.Round(v*1e4) / 1e4 }

// Outside names the end of a window in volts of the whole, low or high, that no group may ever see, and says what was
// expected; "" for neither.
func Outside(b Bank, low, high float64) (end, text string) {
	k, err := b.checked()
	if err != nil {
		return "", ""
	}
	s := float64(b.Series)
	switch {
	case low/s < k.FloorVolts-1e-9:
		return "low", fmt.Sprintf("%.2f V on %s is %.2f V a group, below the floor: expected %.2f V or more",
			low, numeral.Count(b.Series, "group"), low/s, k.FloorVolts*s)
	case high/s > k.ChargeLimitVolts+1e-9:
		return "high", fmt.Sprintf("%.2f V on %s is %.2f V a group, above the charge limit: expected %.2f V or "+
			"less", high, numeral.Count(b.Series, "group"), high/s, k.ChargeLimitVolts*s)
	case high <= low:
		return "high", fmt.Sprintf("%.2f V: expected more than the lower end", high)
	}
	return "", ""
}
