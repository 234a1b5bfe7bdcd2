package share

import (
	"math"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

const (
	stepTolerance = 1e-4 // of charge, in a step
	settledC      = 0.0005
	longestHours  = 2000.0
)

// cycle discharges the strings together until the device cuts off or one is empty, then stops the load and lets them
// level. Linearly implicit steps, extrapolated to second order, the step chosen by the difference.
func (w *net) cycle(in Input, r *Result) {
	soc := make([]float64, len(w.b))
	for i := range w.b {
		soc[i] = w.b[i].soc
	}
	if in.LoadWatts > 0 {
		soc = w.discharge(in, r, soc)
	}
	emf := w.emfsAt(soc)
	still, _ := w.still().current(emf, 0)
	for _, a := range still {
		r.CirculatingA = max(r.CirculatingA, -a)
	}
	end := w.level(soc)
	for i := range w.b {
		r.CirculatingAh += max(0, end[i]-soc[i]) * w.b[i].ah
	}
}

func (w *net) emfsAt(soc []float64) []float64 {
	out := make([]float64, len(w.b))
	for i := range w.b {
		out[i] = w.b[i].emf(soc[i])
	}
	return out
}

// advance takes h hours with a load of watts, or none: one implicit step, and two of half its length.
func (w *net) advance(soc []float64, h, watts float64) (next []float64, err float64) {
	whole := w.euler(soc, h, watts)
	half := w.euler(w.euler(soc, h/2, watts), h/2, watts)
	next = make([]float64, len(soc))
	for i := range soc {
		next[i] = 2*half[i] - whole[i]
		err = max(err, math.Abs(half[i]-whole[i]))
	}
	return next, err
}

func (w *net) euler(soc []float64, h, watts float64) []float64 {
	slopes := make([]float64, len(w.b))
	for i := range w.b {
		slopes[i] = w.b[i].s * w.b[i].curve.BeyondSlope(soc[i]) / w.b[i].ah
	}
	f := w.factor(h, slopes...)
	emf := w.emfsAt(soc)
	var amps []float64
	if watts > 0 {
		amps, _, _ = f.power(emf, watts)
	} else {
		amps, _ = f.current(emf, 0)
	}
	out := make([]float64, len(soc))
	for i := range out {
		out[i] = soc[i] - h*amps[i]/w.b[i].ah
	}
	return out
}

func (w *net) discharge(in Input, r *Result, soc []float64) []float64 {
	t, h := 0.0, 1.0/60
	for t < longestHours {
		emf := w.emfsAt(soc)
		amps, volts, ok := w.still().power(emf, in.LoadWatts)
		if len(r.Discharge) < 400 {
			r.Discharge = append(r.Discharge, Moment{t * 3600, volts, w.named(amps), w.named(soc)})
		}
		if !ok || volts <= in.CutoffVolts {
			r.EndedBy = "cut-off"
			break
		}
		next, err := w.advance(soc, h, in.LoadWatts)
		empty := -1
		for i := range next {
			if next[i] < 0 {
				empty = i
			}
		}
		// The end is met within a second, and the rest in as few steps as it takes.
		v := math.Inf(1)
		if empty < 0 {
			_, v, _ = w.still().power(w.emfsAt(next), in.LoadWatts)
		}
		if (err > stepTolerance || empty >= 0 || v < in.CutoffVolts) && h > 1.0/3600 {
			h /= 2
			continue
		}
		if empty >= 0 {
			r.EndedBy = w.b[empty].id
			break
		}
		t, soc = t+h, next
		if err < stepTolerance/4 {
			h *= 1.7
		}
	}
	r.Hours = t
	return soc
}

// level lets the strings level each other without load.
func (w *net) level(soc []float64) []float64 {
	t, h := 0.0, 1e-3
	for n := 0; t < longestHours && n < 4000; n++ {
		amps, _ := w.still().current(w.emfsAt(soc), 0)
		still := true
		for i, a := range amps {
			still = still && math.Abs(a) < settledC*w.b[i].ah
		}
		if still {
			break
		}
		next, err := w.advance(soc, h, 0)
		if err > stepTolerance && h > 1e-6 {
			h /= 2
			continue
		}
		t, soc = t+h, next
		if err < stepTolerance/4 {
			h *= 1.7
		}
	}
	return soc
}

// judge says what the numbers mean.
func (r *Result) judge(in Input, w *net) {
	a := in.Strings[0]
	for _, b := range in.Strings[1:] {
		if b.Series != a.Series || b.Chemistry != a.Chemistry {
			r.add(finding.New(finding.Refuse, codeStringsUnlike).About(b.ID).
				Reads(float64(b.Series), "groups").Against(float64(a.Series)).
				Says("%s of %s beside %d of %s: such strings are never paralleled.", numeral.Count(b.Series, "group"),
					b.Chemistry,
					a.Series, a.Chemistry).
				Then("Make them alike, or keep them apart."))
		}
	}
	r.overs(w)
	open := false
	for _, b := range w.b {
		open = open || b.trip == 0
	}
	if open && len(w.b) > 1 {
		r.add(finding.New(finding.Caution, codeTripNotKnown).About("bank").Reads(0, "").Against(0).
			Says("Not every string's trip current is known: which trips next cannot be told.").
			Then("Read it from the breakers, fuses or the BMS."))
	}
	r.tripped("discharge", r.AfterTrip)
	r.tripped("charge", r.AfterChargeTrip)
	if r.CirculatingAh > 0.01 {
		r.add(finding.New(finding.Note, codeCirculating).About("bank").Reads(r.CirculatingAh, "Ah").Against(0).
			Says("Once the load stops up to %.1f A go round between the strings, %.2f Ah in "+
				"all: the main shunt reads zero meanwhile, only a meter in each string sees it.", r.CirculatingA,
				r.CirculatingAh).
			Then("Do not take 0 A on the main meter for no current."))
	}
	if r.Unequal > 1.2 {
		r.add(finding.New(finding.Caution, codeUnequalShare).About("bank").Reads(r.Unequal, "").Against(1.2).
			Says("One string carries %.0f %% of an equal share.", r.Unequal*100).
			Then("Equal cables to one centre, or the load on opposite ends of the bars."))
	}
	r.Findings = finding.Sorted(r.Findings)
}

// overs names the strings that carry more than they trip at, before anything has tripped.
func (r *Result) overs(w *net) {
	for _, b := range w.b {
		if a := math.Abs(r.Amps[b.id]); b.trip > 0 && a > b.trip {
			r.add(finding.New(finding.Stop, codeOverTrip).About(b.id).Reads(a, "A").Against(b.trip).
				Says("It carries %.1f A and trips at %.0f A.", a, b.trip).
				Then("Less load, or one more string."))
		}
	}
}

// tripped says what follows where one string drops out.
func (r *Result) tripped(way string, ts []Trip) {
	for _, t := range ts {
		switch {
		case !t.Carries:
			r.add(finding.New(finding.Stop, codeCascade).About(t.Tripped).
				Reads(float64(len(t.Then)+1), "strings").Against(1).
				Says("On %s: when it trips, %s.", way, follow(t.Then)).
				Then("Less load, higher ratings within what the strings bear, or one more string."))
		case len(t.Then) > 0:
			r.add(finding.New(finding.Caution, codeCascade).About(t.Tripped).
				Reads(float64(len(t.Then)+1), "strings").Against(1).
				Says("On %s: when it trips, %s too; the rest carries on.", way, finding.Was(t.Then, "strings")).
				Then("Check the ratings."))
		}
	}
}

// follow says who trips after a string, and that then nothing is left; where none trips the others do not bear it.
func follow(ids []string) string {
	switch len(ids) {
	case 0:
		return "what is left does not carry the load"
	case 1:
		return ids[0] + " trips after it and nothing is left"
	}
	return finding.Names(ids, "strings") + " trip after it and nothing is left"
}
