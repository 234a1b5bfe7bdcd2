package gates_test

import (
	"fmt"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"pandrel/core/procedure/commission"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/pack"
	"pandrel/core/procedure/standing"
)

// right is an input that a gate takes; ok is false for one that takes no number.
func right(s gates.Step) (in gates.Input, ok bool) {
	in = gates.Input{Confirm: true, Name: "Ada Karlsen", By: "AK"}
	switch s.Ask {
	case gates.AskReading:
		v := (s.Low + s.High) / 2
		if s.High == 0 {
			v = 1.1 * s.Low
		}
		in.Reading = &v
	case gates.AskVolts:
		in.Reading = finding.Of(s.ExpectVolts)
	case gates.AskTotals:
		in.Reading, in.Other = finding.Of(s.ExpectVolts), finding.Of(s.ExpectVolts+s.High/2000)
		if s.OtherVolts > 0 {
			in.Reading, in.Other = finding.Of(s.OtherVolts-s.High/2000), &s.OtherVolts
		}
	case gates.AskJoint:
		in.Reading, in.Other = finding.Of(0.8), finding.Of(40)
	case gates.AskIsolation:
		in.Case = &isolation.Readings{PackVolts: s.ExpectVolts, PositiveVolts: 0.02, NegativeVolts: 0.01}
	default:
		return in, false
	}
	return in, true
}

// Whoever types millivolts for volts, or reads another range, is stopped at every gate that takes a number.
func TestNoGateTakesANumberAHundredTimesOff(t *testing.T) {
	p := pack.Pack{Volts: []float64{48, 50, 52}, DisconnectAfter: 1}
	plan, err := pack.Split(p)
	if err != nil {
		t.Fatal(err)
	}
	b := standing.Bank{NominalVolts: 96, FullVolts: 110, Strings: 2, Solar: true, Mains: true, Plug: true,
		ServicePlug: true, Beside: []standing.Other{{Name: "another", Key: "joined-2"}}}
	all := map[string][]gates.Step{
		"commission": commission.Steps(commission.Bank{FullVolts: 88, TouchVolts: 60, NowVolts: 80, Strings: 2,
			Untested: 1, LowAh: 90, HighAh: 110, Beside: "another", BesideVolts: 80, JoinVolts: 0.4, DesignAmps: 50,
			DeviceVolts: 85, TripVolts: 83.3, ChargeVolts: 82}),
		"pack": pack.Steps(p, plan), "down": standing.Down(b, 104), "up": standing.Up(b, 104),
	}
	near := func(s gates.Step, volts float64) (bool, finding.Finding) { return pack.JudgeVolts(s, volts, 60) }
	tried := 0
	for name, steps := range all {
		for _, s := range steps {
			good, ok := right(s)
			if !ok {
				continue
			}
			t.Run(name+" "+s.Key, func(t *testing.T) {
				take := func(in gates.Input) bool {
					d, err := gates.Take(gates.States([]gates.Step{s}, nil), s.Key, in, near)
					return err == nil && d.OK
				}
				if !take(good) {
					t.Fatalf("the right number was not taken: %+v", good)
				}
				for _, by := range []float64{100, 0.01} {
					for _, which := range []string{"reading", "other", "case"} {
						in := good
						switch {
						case which == "reading" && in.Reading != nil:
							in.Reading = finding.Of(*in.Reading * by)
						case which == "other" && in.Other != nil:
							in.Other = finding.Of(*in.Other * by)
						case which == "case" && in.Case != nil:
							c := *in.Case
							c.PackVolts *= by
							in.Case = &c
						default:
							continue
						}
						// Below a limit of 'dead' a hundredth is as dead.
						if by < 1 && s.Low == 0 && s.Ask == gates.AskReading {
							continue
						}
						tried++
						if take(in) {
							t.Errorf("%s × %v was taken", which, by)
						}
					}
				}
			})
		}
	}
	if tried < 20 {
		t.Error(fmt.Sprint("only tried ", tried))
	}
}
