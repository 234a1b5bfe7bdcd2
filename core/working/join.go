package working

import (
	"fmt"

	"pandrel/core/bank/join"
	"pandrel/core/base/ask"
	"pandrel/core/base/chart"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// JoinIn is what is known of two banks or strings and of the link between them.
type JoinIn struct {
	CellsIn
	AV         known.Value `key:"a_v" label:"First, at rest" unit:"V" range:"0.1 to 2000" must:"yes" read:"yes" example:"26.6" help:"Both read in the same minute"`
	BV         known.Value `key:"b_v" label:"Second, at rest" unit:"V" range:"0.1 to 2000" must:"yes" read:"yes" example:"26.2"`
	AAh        known.Value `key:"a_ah" label:"First holds" unit:"Ah" range:"0.01 to 1e5" must:"yes" example:"100"`
	BAh        known.Value `key:"b_ah" label:"Second holds" unit:"Ah" range:"0.01 to 1e5" must:"yes" example:"100"`
	AMOhm      known.Value `key:"a_mohm" label:"First, resistance 10 s" unit:"mΩ" range:"0.001 to 1e5" help:"Empty: typical"`
	BMOhm      known.Value `key:"b_mohm" label:"Second, resistance 10 s" unit:"mΩ" range:"0.001 to 1e5" help:"Empty: typical"`
	Count      known.Value `key:"count" label:"Of the first in parallel already" range:"1 to 64" whole:"yes" set:"1"`
	Link       known.Value `key:"link" label:"Link, both ways" unit:"mΩ" range:"0 to 1e5" example:"2" help:"Cables, bars, joints, fuse; empty: nothing, the worst"`
	ChargeA    known.Value `key:"charge_a" label:"Cells bear on charge" unit:"A" range:"0 to 1e5" help:"Empty: 0.3 C"`
	DischargeA known.Value `key:"discharge_a" label:"Cells bear on discharge" unit:"A" range:"0 to 1e5" help:"Empty: typical, 1 C"`
	BMSA       known.Value `key:"bms_a" label:"BMS bears" unit:"A" range:"0 to 1e5"`
	FuseA      known.Value `key:"fuse_a" label:"Fuse" unit:"A" range:"0 to 1e5"`
	CableA     known.Value `key:"cable_a" label:"Cable bears" unit:"A" range:"0 to 1e5"`
}

var _ = shelve[JoinIn](Working{Key: "join", Title: "Joining two banks or strings", About: Strings, Order: 1,
	Question: "May I close this link, and what flows if I do?",
	Source:   "rules §11: rest curve + R0 + one RC pair (R0 = R10/1.13, R1 = 0.6·R0, τ = 40 s), integrated implicitly",
	Not:      []string{"groups that are unequal inside a bank", "sparks and inductance of the moment", notTheCode}})

// joined is the joint with so many of the first side by side.
func (in *JoinIn) joined(n float64) join.Input {
	bank := func(id string, v, ah, mOhm known.Value, n float64) join.Bank {
		return join.Bank{ID: id, Chemistry: in.Chemistry, Series: int(in.Series.V()), Ah: n * ah.V(), RestVolts: v.V(),
			MOhm10s: mOhm.V() / n}
	}
	return join.Input{LinkMOhm: in.Link.V(), ReadWithin: in.AV.High() - in.AV.V() + in.BV.High() - in.BV.V(),
		Limits: join.Limits{ChargeAmps: in.ChargeA.V(), DischargeAmps: in.DischargeA.V(), BMSAmps: in.BMSA.V(),
			FuseAmps: in.FuseA.V(), CableAmps: in.CableA.V()},
		Banks: []join.Bank{bank("first", in.AV, in.AAh, in.AMOhm, n), bank("second", in.BV, in.BAh, in.BMOhm, 1)}}
}

// Answer answers for the count that is asked, and for one, two and four side by side.
//
// In one piece: what is read, and what is said of it, in the order of the page.
func (in *JoinIn) Answer(a *ask.Answer) error {
	j := in.joined(float64(int(in.Count.Or(1))))
	a.Without(in.AMOhm, "resistance of the first not given: typical")
	a.Without(in.BMOhm, "resistance of the second not given: typical")
	a.Without(in.Link, "what lies between them not given: 0 mΩ, the worst")
	res, err := join.Solve(j)
	if err != nil {
		return err
	}
	a.Result, a.Findings = res, res.Findings
	verdict, measured := "No limit that is known is passed.", in.AMOhm.Is() && in.BMOhm.Is()
	switch {
	case finding.Blocks(res.Findings):
		verdict = "Do not close it."
	case !measured:
		verdict = "No limit is passed by resistances that are typical and that nobody measured."
	}
	a.Say("%s A flow at first, up to %s A in the first milliseconds, %s A after a minute; %s Ah move. %s",
		figure.Span(res.FirstLow, res.FirstMost), figure.Of(res.FirstHigh), figure.Of(res.At(60)),
		figure.Span(res.AhLow, res.AhHigh), verdict)
	if p := res.Pass; p != nil {
		a.Also(" It would pass at %.0f mV.", p.DiffVolts*1000)
		a.Line("Would pass at a difference of", figure.Dec(p.DiffVolts*1000, 0), "mV")
		a.Line("or charge the lower one first to", figure.Dec(p.ChargeToVolts, 2), "V at rest")
		long := figure.Hours(p.Seconds / 3600)
		if !p.InTime {
			long = "longer than 48 h"
		}
		a.Line("or through a resistor of", fmt.Sprintf("%s Ω, %s W at first, for %s", figure.Of(p.ResistorMOhm/1000),
			figure.Of(p.ResistorWatts), long), "")
	}
	a.Line("Difference at rest", figure.Dec(res.DiffVolts*1000, 0), "mV")
	a.Line("First current", figure.Span(res.FirstLow, res.FirstMost), "A")
	a.Line("in the first milliseconds at most", figure.Of(res.FirstHigh), "A")
	for _, s := range []float64{1, 10, 60, 600, 3600} {
		a.Line("after "+string(figure.Hours(s/3600)), figure.Of(res.At(s)), "A")
	}
	a.Line("Moves", figure.Span(res.AhLow, res.AhHigh), "Ah")
	a.Line("Ends at", figure.Dec(res.EndVolts, 2), "V")
	if res.SecondsTo1A != nil {
		a.Line("1 A is left after", figure.Hours(*res.SecondsTo1A/3600), "")
	} else {
		a.Line("After 48 h more than", "1", "A still flow")
	}
	a.Line("Heat in the link", figure.Of(res.HeatJ), "J")
	for _, p := range res.Parts {
		if p.SoCHigh-p.SoCLow > chem.CannotTellWidth {
			a.Assume("%s: its voltage leaves %.0f to %.0f %% open, and with it how many amp hours move", p.ID,
				p.SoCLow*100, p.SoCHigh*100)
		}
	}
	a.Works("%s V / (R0 of both + %s mΩ) = %s A at first", figure.Dec(res.DiffVolts, 3), figure.Of(j.LinkMOhm),
		figure.Of(res.FirstAmps))
	a.Chart = &chart.Chart{Title: "Current in the link", X: "s", Y: "A", LogX: true, Curves: []chart.Curve{{Name: "A"}}}
	for _, p := range res.Current {
		if p[0] >= 0.1 {
			a.Chart.Curves[0].Points = append(a.Chart.Curves[0].Points, p)
		}
	}
	t := ask.Table{Title: "As many of the first in parallel", Heads: []string{"Of the first", "First", "After a minute",
		"Moves", "Says"}, Words: 0}
	for _, k := range []int{1, 2, 4} {
		x, err := join.Solve(in.joined(float64(k)))
		if err != nil {
			continue
		}
		says := "no known limit is passed"
		switch {
		case finding.Blocks(x.Findings):
			says = "refused"
		case !measured:
			says = "not refused, by typical resistances"
		}
		t.Row(fmt.Sprint(k), figure.Of(x.FirstHigh)+" A", figure.Of(x.At(60))+" A", figure.Of(x.AhMoved)+" Ah", says)
	}
	a.Tables = append(a.Tables, t)
	return nil
}

// FromBank joins the highest of its strings to the lowest; or what is to stand beside it to the bank.
func (in *JoinIn) FromBank(p Bank) bool {
	c, lines := p.Design.Candidate, p.Design.Lines()
	in.Chemistry, in.Series = c.Chemistry, counted(c.Series)
	in.BMSA, in.FuseA, in.CableA = typed(p.Device.ContinuousAmps), typed(p.Parts.FuseA), typed(p.Parts.CableA)
	if len(lines) > 1 && lines[0].Volts > 0 && lines[1].Volts > 0 {
		high, low := lines[0], lines[0]
		for _, l := range lines {
			if l.Volts > high.Volts {
				high = l
			}
			if l.Volts < low.Volts {
				low = l
			}
		}
		if high == low {
			low = lines[1]
		}
		in.AV, in.AAh, in.AMOhm = summed(high.Volts, c.Series), worked(high.Ah), worked(high.MOhm)
		in.BV, in.BAh, in.BMOhm = summed(low.Volts, c.Series), worked(low.Ah), worked(low.MOhm)
		return true
	}
	s, now := p.Need.Beside, p.Design.LevelVolts(p.Curve)
	if s == nil || s.Volts <= 0 || now <= 0 {
		return false
	}
	in.AV, in.AAh = typed(s.Volts), typed(s.Ah)
	in.BV, in.BAh, in.BMOhm = summed(now, c.Series), p.ah(), p.Design.MOhm()
	return true
}

// FromStanding asks what the standing bank is to be joined to.
func (in *JoinIn) FromStanding(s Standing) bool {
	in.Chemistry, in.Series, in.AV, in.AAh = s.Chemistry, counted(s.Series), s.Volts, s.Ah
	return s.Chemistry != "" && s.Series > 0 && s.Ah.Is() && s.Volts.Is()
}
