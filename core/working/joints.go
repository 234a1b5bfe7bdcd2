package working

import (
	"strings"

	"pandrel/core/bank/sizing"
	"pandrel/core/base/ask"
	"pandrel/core/base/chart"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// JointsIn is what was read across joints under a current.
type JointsIn struct {
	Amps   known.Value `key:"amps" label:"Current" unit:"A" range:"0.1 to 1e5" must:"yes" example:"40" help:"20 or more"`
	Joints []ask.Row   `key:"joints" label:"Joints" rows:"1 of 400" example:"bar 1: 4.1 bar / bar 2: 4.0 bar / bar 3: 9.8 bar / bar 4: 4.3 bar" help:"a line each: name, millivolts, rise in K where felt or measured, and a word for joints that are alike"`
}

var _ = shelve[JointsIn](Working{Key: "joints", Title: "Joint check", About: Tests, Order: 4,
	Question: "Which joints have to be opened again?",
	Source:   "rules §17: µΩ = mV/A; an outlier is above 1.5 × the median of its like, or 20 K above",
	Not:      []string{"joints that are good today and work loose"}})

// Answer compares each joint with its like.
func (in *JointsIn) Answer(a *ask.Answer) error {
	if len(in.Joints) == 0 {
		return ask.Bad(&in.Joints, "expected a line for each joint: its name and millivolts")
	}
	amps := in.Amps.V()
	var js []sizing.Joint
	for _, x := range in.Joints {
		j := sizing.Joint{Name: x.Name, MilliV: x.At(0), Kind: strings.Join(x.Words, " ")}
		if len(x.Nums) > 1 {
			j.RiseK = &x.Nums[1]
		}
		js = append(js, j)
	}
	out, fs, err := sizing.Joints(amps, js)
	if err != nil {
		return err
	}
	a.Result, a.Findings = out, fs
	var again []string
	watts := 0.0
	t := ask.Table{Title: "Joints", Heads: []string{"Joint", "Alike", "Says", "µΩ", "Watts", "Of its like"}, Words: 3}
	a.Chart = chart.OfBars("Resistance of each joint", "", "µΩ")
	for _, j := range out {
		says := "like its like"
		if j.Retighten {
			says = "open and clean it: " + j.Why
			again = append(again, j.Name)
		}
		watts += j.Watts
		t.Row(j.Name, j.Kind, says, figure.Dec(j.MicroOhm, 0), figure.Dec(j.Watts, 2), figure.Dec(j.OfMedian, 2))
		a.Chart.Bar(j.Name, j.MicroOhm)
	}
	a.Tables = append(a.Tables, t)
	a.Line("All joints", figure.Dec(watts, 1), "W")
	a.Works("µΩ = mV / %s A × 1000; watts = mV × %s A / 1000", figure.Of(amps), figure.Of(amps))
	if len(again) == 0 {
		a.Say("No joint of %d stands out.", len(out))
	} else {
		a.Say("Current off, then open, clean and tighten: %s.", strings.Join(again, ", "))
	}
	return nil
}
