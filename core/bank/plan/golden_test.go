package plan_test

import (
	"slices"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/match"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/unsure"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/module/capacity"
	"pandrel/golden"
)

// figures is what a design tells of itself.
type figures struct {
	BankAh, With, DCMOhm, Prospective, Other, Low, High float64
	Wrong                                               string
	Range                                               known.Value
	First                                               []unsure.Decisive
	Lines                                               []plan.Line
	Untested, Unread, Groups                            []string
	Borders                                             []int
	Alike, Provisional, Apart                           bool
	Need                                                bms.Need
	Settings                                            bms.Plan
	Limits                                              window.Limits
	Levels                                              any
	Names                                               []string
	Replacements                                        []plan.Replacement
}

func figuresOf(d plan.Design, n plan.Need, t plan.Type) (f figures) {
	f.BankAh, f.With, f.DCMOhm, f.Prospective = d.BankAh(), d.BankAhWith(1, 30), d.DCMOhm(), d.ProspectiveAmps()
	var err error
	if f.Other, err = d.OtherStyle(); err != nil {
		f.Wrong = err.Error()
	}
	u := d.Usable()
	f.Low, f.High = u.Low(), u.High()
	f.Range, f.First, f.Lines, f.Untested, f.Unread = d.Ah(), d.TestFirst(), d.Lines(), d.Untested(),
		d.WithoutVolts()
	f.Groups, f.Borders, f.Alike, f.Provisional, f.Apart = d.GroupNames(), d.Borders(), d.UntestedAlike(),
		d.Provisional(),
		d.StringsApart()
	f.Need, f.Settings, f.Limits, f.Levels = d.BMSNeed(n), d.BMSPlan(n, t), d.Limits(t), d.Levels(chem.NMC, nil)
	for _, p := range d.Places {
		f.Names = append(f.Names, d.PlaceName(p), d.LinkName(p.Position, p.Mate))
	}
	f.Replacements = d.Replacements(1, []plan.Spare{{Number: "S1", CapacityAh: 39, Volts: 26.4}, {Number: "S2",
		CapacityAh: 37.5, Volts: 26.46}, {Number: "S3", CapacityAh: 41, Volts: 26.1}})
	return f
}

func TestWhereDesignsChange(t *testing.T) {
	type moved struct {
		Parts                    plan.Parts
		need                     plan.Need
		tested, drift, low       float64
		Volts, Sag, Watts, MostV float64
		style                    match.Style
		device                   string
	}
	beside := need
	beside.Beside = &plan.Beside{ID: 7, Name: "shed", Series: 14, Volts: 52.9, Ah: 80}
	rated := plan.Parts{FuseA: 40, FuseV: 80, FuseKA: 20, CableA: 60, BondA: 10, FuseMM: 150}
	fused := rated
	fused.BondsFused = true
	made := map[match.Style]plan.Situation{match.ParallelFirst: situation(t, match.ParallelFirst),
		match.StringsFirst: situation(t, match.StringsFirst)}
	build := func(m moved) plan.Situation {
		s := made[m.style]
		s.Design.Places = slices.Clone(s.Design.Places)
		for i := range s.Design.Places {
			s.Design.Places[i].Volts = slices.Clone(s.Design.Places[i].Volts)
		}
		s.Device = device(t, m.device)
		m.need.LoadWatts, m.need.AbsMaxVolts = m.Watts, m.MostV
		s.Parts, s.Need, s.Design.TestedAh, s.Design.DriftAhDay = m.Parts, m.need, m.tested, m.drift
		for i := range s.Design.Places {
			for k := range s.Design.Places[i].Volts {
				s.Design.Places[i].Volts[k] = m.Volts
			}
		}
		s.Design.Places[1].Volts[2] -= m.Sag
		if m.Volts == 3.9 {
			s.Design.Places[0].Dead, s.Design.Places[2].Dead = []string{"X4"}, []string{"X1", "X8"}
		}
		if m.low > 0 {
			p := &s.Design.Places[0]
			p.LowAh, p.HighAh, p.Basis = m.low, 1.3*p.CapacityAh, capacity.Plate
		}
		return s
	}
	type told struct {
		Findings, IntoService                []finding.Finding
		Prospective, Full, Now, Join, Charge float64
		Cautions                             int
		Steps, Assumed                       any
		Inputs                               []string
		Figures                              figures
	}
	solve := func(full bool) func(m moved) (any, error) {
		return func(m moved) (any, error) {
			s := build(m)
			w, err := plan.CheckWiring(s)
			if err != nil {
				return nil, err
			}
			x := told{Findings: w.Report.Findings, IntoService: w.Report.IntoService, Full: w.Report.FullVolts,
				Now: w.NowVolts(), Cautions: w.Cautions()}
			if full {
				x.Join = s.JoinVolts()
				x.Steps, x.Assumed, x.Figures = w.Steps, w.Assumed, figuresOf(s.Design, s.Need, s.Type)
				_, x.Inputs = w.Stand(s.Design.Places[1])
			}
			return x, nil
		}
	}
	cases := []golden.Case[moved]{
		{Name: "parallel first", In: moved{rated, need, 0, 0.01, 0, 3.78, 0.004, 400, 64, match.ParallelFirst,
			"T16-60"}},
		{Name: "strings first beside a bank", In: moved{fused, beside, 0, 0, 0, 3.78, 0.02, 400, 64,
			match.StringsFirst, "T16-60"}}}
	alone := cases[1].In
	alone.need = need
	golden.Judged(t, "design", []golden.Case[moved]{{Name: "strings first", In: alone}}, solve(false))
	type mates struct{ BondA, Sag float64 }
	golden.Judged(t, "mates", []golden.Case[mates]{{Name: "parallel first", In: mates{10, 0.004}}},
		func(x mates) (any, error) {
			m := cases[0].In
			m.Parts.BondA, m.Sag = x.BondA, x.Sag
			return solve(false)(m)
		})
	golden.Answers(t, "figures", append(cases, golden.Case[moved]{Name: "not tested whole", In: moved{rated, need, 0, 0,
		25, 3.9, 0, 400, 64, match.ParallelFirst, "T16-60"}}, golden.Case[moved]{Name: "one not tested, strings",
		In: moved{plan.Parts{}, need, 0, 0, 25, 3.9, 0, 400, 64, match.StringsFirst, "T16-60"}},
		golden.Case[moved]{Name: "dead taps", In: moved{rated, need, 0, 0, 0, 3.9, 0, 400, 64, match.ParallelFirst,
			"T16-60"}}, golden.Case[moved]{Name: "tested whole", In: moved{rated, need, 70, 0, 0, 3.5, 0, 400, 64,
			match.StringsFirst, "T16-60"}}), solve(true))
	golden.Judged(t, "bounds", []golden.Case[plan.Parts]{{Name: "known", In: rated}}, func(p plan.Parts) (any, error) {
		return p.Bounds(), nil
	})
	d := design(t, match.ParallelFirst)
	d.Replace(2, plan.Place{Number: "S9", CapacityAh: 33, MOhm: 20})
	d.Recount()
	again := design(t, match.StringsFirst)
	again.Tested(71, 3600)
	choices, err := d.Choices(need, bms.Catalogue())
	golden.Same(t, "changed", golden.Text([]any{d.Candidate, d.Places, again.Candidate, again.OfModules().Candidate,
		choices, err, d.At("S9"), d.Boards(bms.Device{Stackable: true, GroupsLow: 4, GroupsHigh: 8})}))
}
