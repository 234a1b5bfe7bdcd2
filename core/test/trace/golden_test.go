package trace_test

import (
	"bytes"
	"fmt"
	"math"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/logfile"
	"pandrel/core/test/trace"
	"pandrel/golden"
)

// groupLog is a log of three NMC groups: full at rest, a discharge in which the second one reaches the floor, a pause,
// a rest, a charge and a taper. apart is how much faster the second falls.
func groupLog(apart float64) []byte {
	b := bytes.NewBufferString("time_s,pack_v,current_a,temp_c,cell1_v,cell2_v,cell3_v\n")
	at, q := 0.0, 0.0
	c, _ := chem.Lookup(chem.NMC)
	write := func(n int, amps float64) {
		for range n {
			v := [3]float64{}
			for g := range v {
				soc := 1 + q/40
				if g == 1 {
					soc = 1 + q*(1+apart)/40
				}
				v[g] = c.Curve.Volts(max(0, min(1, soc))) + amps*0.0015
			}
			fmt.Fprintf(b, "%.0f,%.3f,%.2f,%.1f,%.3f,%.3f,%.3f\n", at, v[0]+v[1]+v[2], amps, 21+at/9000, v[0], v[1],
				v[2])
			at += 30
			q += amps * 30 / 3600
		}
	}
	write(40, 0)
	write(200, -12)
	write(3, 0)
	write(int((40/(1+apart)-20)/0.1), -12)
	write(60, 0)
	write(240, 12)
	write(30, 2)
	write(40, 0)
	return b.Bytes()
}

// run is a log of one module by its total: how it was run and looked at.
type run struct {
	Ah, Amps, Every, RestS, BackAmps float64
	HoleAt, HoleS, Dip, DipAt        float64
	Sign                             bool
}

func (r run) log() []byte {
	b := bytes.NewBufferString("time_s,volts,amps\n")
	c, _ := chem.Lookup(chem.NMC)
	at, q := 0.0, 0.0
	write := func(seconds, amps float64) {
		for end := at + seconds; at < end && at < 1e6; at += max(1, r.Every) {
			q += amps * max(1, r.Every) / 3600
			if at >= r.HoleAt && at < r.HoleAt+r.HoleS {
				continue
			}
			v := 7 * (c.Curve.Volts(max(0, min(1, 1+q/46))) + amps*0.0015)
			if math.Abs(at-r.DipAt) < max(1, r.Every) {
				v -= r.Dip
			}
			shown := amps
			if !r.Sign {
				shown = math.Abs(amps)
			}
			fmt.Fprintf(b, "%.0f,%.3f,%.2f\n", at, v, shown)
		}
	}
	write(r.RestS, 0)
	write(min(r.Ah/max(0.1, r.Amps)*3600, 60000), -r.Amps)
	write(r.RestS, 0)
	write(3600, r.BackAmps)
	return b.Bytes()
}

// How long it rested, how it was looked at, what was missed: where a log is judged in another way.
func TestWhereRunsAreJudgedInAnotherWay(t *testing.T) {
	usual := run{Ah: 40, Amps: 12, Every: 30, RestS: 1800, BackAmps: 8, HoleAt: 6000, DipAt: 5000, Sign: true}
	hole, unsigned := usual, usual
	hole.HoleS, hole.Dip = 900, 4
	unsigned.Sign = false
	judge := func(r run) (any, error) {
		if r.Every < 10 || r.Amps > 500 || r.RestS > 20000 || r.Ah > 2000 {
			return nil, nil
		}
		log, err := logfile.Parse(r.log())
		if err != nil {
			return nil, err
		}
		return trace.Analyse(log, trace.Options{Chemistry: chem.NMC, Series: 7, RatedAh: 46})
	}
	golden.Judged(t, "runs", []golden.Case[run]{{Name: "a hole and a dip", In: hole}}, judge)
	golden.Answers(t, "more-runs", []golden.Case[run]{{Name: "usual", In: usual}, {Name: "no sign", In: unsigned}},
		judge)
}

func TestWhereLogsChange(t *testing.T) {
	type asked struct {
		Options trace.Options
		text    []byte
	}
	nmc := trace.Options{Chemistry: chem.NMC, Series: 3, RatedAh: 46}
	with := func(f func(o *trace.Options)) trace.Options { o := nmc; f(&o); return o }
	even, apart := groupLog(0), groupLog(0.08)
	gappy := bytes.Join([][]byte{even[:4000], even[7000+bytes.IndexByte(even[7000:], '\n')+1:]}, nil)
	gappy = bytes.Join([][]byte{gappy[:bytes.LastIndexByte(gappy[:4000], '\n')+1], gappy[4000:]}, nil)
	total := profile(10, [2]float64{900, 0}, [2]float64{6000, -8}, [2]float64{900, 0}, [2]float64{3000, 8},
		[2]float64{600, 0})
	solve := func(a asked) (any, error) {
		log, err := logfile.Parse(a.text)
		if err != nil {
			return nil, err
		}
		r, err := trace.Analyse(log, a.Options)
		if err != nil {
			return nil, err
		}
		text, has := "", r.Capacity != nil
		if has {
			text = r.Capacity.Text()
		}
		ohm, ok := r.ResistanceAt(10)
		return []any{r, text, ohm, ok, r.DrivenBelow(), r.Unsettled(), r.Driven(), r.GroupAt(1)}, nil
	}
	golden.Judged(t, "log", []golden.Case[asked]{{Name: "one group ends it", In: asked{nmc, apart}}}, solve)
	golden.Answers(t, "logs", []golden.Case[asked]{{Name: "all alike", In: asked{nmc, even}}, {Name: "with a hole",
		In: asked{nmc, gappy}}, {Name: "a total alone", In: asked{trace.Options{Chemistry: chem.LTO, RatedAh: 20,
		Series: 1}, total}}, {Name: "no rating", In: asked{with(func(o *trace.Options) { o.RatedAh = 0 }), even}},
		{Name: "full said", In: asked{with(func(o *trace.Options) { o.FullVolts, o.Chemistry = 12.5, "" }), even}},
		{Name: "the other sign", In: asked{with(func(o *trace.Options) { o.FlipCurrent = true }), even}},
		{Name: "ended by a group, said", In: asked{with(func(o *trace.Options) {
			o.EndedByGroup, o.EndedAtVolts = 2,
				3.02
		}), total}}, {Name: "cut", In: asked{with(func(o *trace.Options) { o.CutFromS, o.CutToS = 0, 5000 }), apart}},
		{Name: "from the second group", In: asked{with(func(o *trace.Options) { o.FirstGroup, o.Series = 4, 6 }),
			apart}}, {Name: "another count", In: asked{with(func(o *trace.Options) { o.Series = 4 }), even}},
		{Name: "a tenth of its rating", In: asked{with(func(o *trace.Options) { o.RatedAh = 500 }), even}},
		{Name: "too much", In: asked{with(func(o *trace.Options) { o.RatedAh = 4 }), even}}}, solve)
}
