package fall_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/fall"
)

func ExampleOf() {
	groups := []float64{3.21, 3.20, 2.95, 3.22}
	w := fall.Of(4, 2.50, false, []fall.Reading{{Volts: 12.58, Amps: -20, Groups: groups}}, 60)
	fmt.Printf("group %d has %.2f V left: off at %.2f V in all\n", w.Group, w.Left, w.Until)
	// Output: group 3 has 0.45 V left: off at 12.13 V in all
}

func TestWhenAReadingOfAllGroupsCounts(t *testing.T) {
	all := fall.Reading{Seconds: 60, Volts: 13.0, Amps: -10, Groups: []float64{3.3, 3.2, 3.3, 3.2}} // 0.7 V left to 2.5
	total := func(s, v, a float64) fall.Reading { return fall.Reading{Seconds: s, Volts: v, Amps: a} }
	at := func(v float64) fall.Reading {
		return fall.Reading{Volts: 9.9 + v, Amps: -10, Groups: []float64{3.3, 3.3, 3.3, v}}
	}
	for _, c := range []struct {
		name string
		rs   []fall.Reading
		now  float64
		want fall.State
	}{
		{"nothing was read", nil, 0, fall.Unread},
		{"only the total", []fall.Reading{total(0, 13, -10)}, 10, fall.Unread},
		{"three of four", []fall.Reading{{Volts: 13, Amps: -10, Groups: []float64{3.3, 3.2, 3.3}}}, 10, fall.Unread},
		{"all of them", []fall.Reading{all}, 100, fall.Goes},
		{"fallen by less", []fall.Reading{all, total(100, 12.31, -10)}, 100, fall.Goes},
		{"fallen by as much", []fall.Reading{all, total(100, 12.30, -10)}, 100, fall.Moved},
		{"fallen, and up again", []fall.Reading{all, total(100, 12.2, -10), total(110, 12.9, -10)}, 110, fall.Moved},
		{"a quarter of an hour and a minute", []fall.Reading{all}, 60 + 960, fall.Goes},
		{"a second more", []fall.Reading{all}, 60 + 961, fall.Old},
		{"one amp less", []fall.Reading{all, total(100, 12.9, -9)}, 100, fall.Weaker},
		{"within the last digits", []fall.Reading{all, total(100, 12.9, -9.81)}, 100, fall.Goes},
		{"more current", []fall.Reading{all, total(100, 12.9, -12)}, 100, fall.Goes},
		{"the total rose", []fall.Reading{all, total(100, 13.02, -10)}, 100, fall.Weaker},
		{"read anew after that", []fall.Reading{all, total(100, 13.02, -10), all}, 100, fall.Goes},
		{"a group that adds nothing up", []fall.Reading{{Volts: 12.5, Amps: -10, Groups: all.Groups}}, 0, fall.Apart},
		{"one digit above its floor", []fall.Reading{at(2.501)}, 0, fall.Goes},
		{"at its floor", []fall.Reading{at(2.5)}, 0, fall.AtEnd},
		{"below it", []fall.Reading{at(2.49)}, 0, fall.AtEnd},
	} {
		t.Run(c.name, func(t *testing.T) {
			if w := fall.Of(4, 2.5, false, c.rs, c.now); w.State != c.want {
				t.Errorf("%v, expected %v: %+v", w.State, c.want, w)
			}
		})
	}
	t.Run("a charge is the same the other way round", func(t *testing.T) {
		all := fall.Reading{Volts: 13.0, Amps: 10, Groups: []float64{3.3, 3.2, 3.3, 3.2}}
		w := fall.Of(4, 3.65, true, []fall.Reading{all, {Volts: 13.34, Amps: 10}}, 10)
		if w.State != fall.Goes || math.Abs(w.Until-13.35) > 1e-9 || w.Group != 1 {
			t.Errorf("%+v", w)
		}
		if w := fall.Of(4, 3.65, true, []fall.Reading{all, {Volts: 13.36, Amps: 10}}, 10); w.State != fall.Moved {
			t.Errorf("%+v", w)
		}
	})
}

// pile is groups in series of which one holds less than the others: volts by charge and current.
type pile struct {
	c    chem.Chemistry
	soc  []float64
	ah   []float64
	ohms []float64
}

func (p *pile) volts(amps float64) (groups []float64, total float64) {
	for i, s := range p.soc {
		v := p.c.Curve.Volts(max(0, s)) + amps*p.ohms[i]
		if s < 0 { // an empty group falls steeply, through zero
			v += 60 * s
		}
		groups = append(groups, v)
		total += v
	}
	return groups, total
}

func (p *pile) run(amps, seconds float64) {
	for i := range p.soc {
		p.soc[i] += amps * seconds / 3600 / p.ah[i]
	}
}

// A weak group is never found below its floor, whatever the count, the chemistry, how weak it is and how the current
// changes on the way; the total is looked at every few seconds, all groups only when that is asked.
func TestTheWeakestGroupIsNeverDrivenBelowItsFloor(t *testing.T) {
	const tick = 5.0
	ended := 0
	for _, c := range chem.All() {
		id := c.ID
		for n := 2; n <= 24; n++ {
			t.Run(fmt.Sprintf("%d groups of %s", n, id), func(t *testing.T) {
				rng := rand.New(rand.NewPCG(uint64(n), uint64(len(id))))
				p := pile{c: c}
				for range n {
					p.ah, p.ohms = append(p.ah, 50+rng.Float64()), append(p.ohms, 0.001+0.001*rng.Float64())
					p.soc = append(p.soc, 0.9+0.1*rng.Float64())
				}
				weak := rng.IntN(n)
				p.soc[weak], p.ah[weak] = 0.1+0.5*rng.Float64(), 50*(0.3+0.6*rng.Float64())
				amps := -25.0
				var rs []fall.Reading
				read := func(s float64, all bool) {
					g, v := p.volts(amps)
					r := fall.Reading{Seconds: s, Volts: v, Amps: amps}
					if all {
						r.Groups = g
					}
					rs = append(rs, r)
				}
				steepest := 0.0 // what a group falls in one look
				for s := 0.0; s < 12*3600; s += tick {
					if s == 1800 {
						amps = -12.5 // a lighter load: all recover
					}
					read(s, false)
					w := fall.Of(n, c.FloorVolts, false, rs, s)
					if w.State != fall.Goes {
						read(s, true) // with the load on, as soon as it is asked
						if w = fall.Of(n, c.FloorVolts, false, rs, s); w.State == fall.AtEnd {
							ended++
							return
						}
						rs = rs[len(rs)-1:]
					}
					was, _ := p.volts(amps)
					p.run(amps, tick)
					is, _ := p.volts(amps)
					for i := range is {
						steepest = max(steepest, was[i]-is[i])
						if is[i] < c.FloorVolts-steepest-1e-9 {
							t.Fatalf("after %.0f s group %d stands at %.3f V, its floor is %.2f V", s, i+1, is[i],
								c.FloorVolts)
						}
					}
				}
				t.Errorf("never ended")
			})
		}
	}
	if ended != 5*23 {
		t.Errorf("%d ended at the floor of the weakest", ended)
	}
}

// What the rule replaced: a stop at so many volts a group, in all. The same weak group is far below its floor by then.
func TestAMarginOnTheTotalDrivesAWeakGroupBackwards(t *testing.T) {
	c, _ := chem.Lookup(chem.LFP)
	p := pile{c: c, soc: make([]float64, 9), ah: make([]float64, 9), ohms: make([]float64, 9)}
	for i := range p.soc {
		p.soc[i], p.ah[i], p.ohms[i] = 0.9, 50, 0.001
	}
	p.soc[4] = 0.3
	for {
		g, v := p.volts(-25)
		if v <= 9*(c.FloorVolts+0.3) {
			if g[4] > 0 {
				t.Errorf("%.2f V: expected a driven group", g[4])
			}
			return
		}
		if w := fall.Of(9, c.FloorVolts, false, []fall.Reading{{Volts: v, Amps: -25, Groups: g}}, 0); w.Left > 0 &&
			g[4] <= c.FloorVolts {
			t.Fatalf("%+v", w)
		}
		p.run(-25, 5)
	}
}

func BenchmarkOf(b *testing.B) {
	g := make([]float64, 16)
	for i := range g {
		g[i] = 3.2
	}
	rs := []fall.Reading{{Volts: 51.2, Amps: -20, Groups: g}}
	for i := range 60 {
		rs = append(rs, fall.Reading{Seconds: float64(i), Volts: 51.2 - 0.005*float64(i), Amps: -20})
	}
	for b.Loop() {
		fall.Of(16, 2.5, false, rs, 60)
	}
}
