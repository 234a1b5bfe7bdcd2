// Package steady decides when what a meter shows may be taken down by itself, with nobody at a key.
//
// The danger is a reading of the wrong points: a person lifts the probes, looks where to go, and the meter still
// shows what it showed before; or one probe slips, and what is shown floats. So nothing is taken until the probes
// were seen in the air, and then only what has stood still for a while. What reads as little as probes in the air
// cannot be told from them, and is never taken: a person must say that they touch.
package steady

import (
	"fmt"
	"math"
	"slices"
	"time"
)

// Span is what readings are taken in: how little is as good as nothing, and how much may stand still.
type Span struct {
	Air   float64 // volts; below it the probes may be in the air
	Step  float64 // volts within which readings stand still
	Share float64 // or this share of the reading, where it is more
}

// The spans of what is read. Air: with an input of 10 MΩ probes in the air show less than a tenth of a volt, and no
// group that may be used shows as little; of a joint under current half a millivolt is less than any meter's offset
// wanders. Step: three digits of a meter that shows millivolts.
var (
	Volts = Span{Air: 0.1, Step: 0.003, Share: 0.0005}
	Joint = Span{Air: 0.0005, Step: 0.00005, Share: 0.02}
)

// How long a reading must stand still, and in how many looks at the meter.
const (
	Still = 800 * time.Millisecond
	Looks = 4
)

// State is what the probes seem to do.
type State string

// States of a watch, in the order in which they follow each other.
const (
	Lift     State = "lift"     // on something: since when is not known
	Ready    State = "ready"    // in the air
	Settling State = "settling" // on something, after they were lifted
	Taken    State = "taken"    // it stood still
)

// Watch follows one meter to one reading. The zero value takes nothing; see New.
type Watch struct {
	span   Span
	lifted bool
	seen   []look
}

type look struct {
	at    time.Duration
	volts float64
}

// New begins to watch for one reading. Where the probes were before is not asked: they must be seen in the air.
func New(s Span) *Watch { return &Watch{span: s} }

// See takes in what the meter shows at a time since the watch began; times do not run back. With Taken it gives what is
// to be written down: the median of what stood still. An infinite value is a meter over its range, which is no air and
// stands still never. It fails for what is no number.
func (w *Watch) See(at time.Duration, volts float64) (State, float64, error) {
	if math.IsNaN(volts) {
		return "", 0, fmt.Errorf("%v V: expected what a meter can show", volts)
	}
	if math.Abs(volts) < w.span.Air {
		w.lifted, w.seen = true, nil
		return Ready, 0, nil
	}
	if !w.lifted {
		return Lift, 0, nil
	}
	if math.IsInf(volts, 0) {
		w.seen = nil
		return Settling, 0, nil
	}
	w.seen = append(w.seen, look{at, volts})
	if !w.still() {
		w.forget()
		return Settling, 0, nil
	}
	return Taken, w.median(), nil
}

// still reports whether all that was seen since the last step lies together, for long enough.
func (w *Watch) still() bool {
	n := len(w.seen)
	return n >= Looks && w.seen[n-1].at-w.seen[0].at >= Still && w.together(w.seen)
}

func (w *Watch) together(seen []look) bool {
	lo, hi := math.Inf(1), math.Inf(-1)
	for _, l := range seen {
		lo, hi = min(lo, l.volts), max(hi, l.volts)
	}
	return hi-lo <= max(w.span.Step, w.span.Share*max(math.Abs(lo), math.Abs(hi)))
}

// forget drops what lies before the last step: from there on it may stand still.
func (w *Watch) forget() {
	for len(w.seen) > 1 && !w.together(w.seen) {
		w.seen = w.seen[1:]
	}
}

func (w *Watch) median() float64 {
	var vs []float64
	for _, l := range w.seen {
		vs = append(vs, l.volts)
	}
	slices.Sort(vs)
	if n := len(vs); n%2 == 0 {
		return (vs[n/2-1] + vs[n/2]) / 2
	}
	return vs[len(vs)/2]
}

// Same reports whether two readings of the same points agree, so that an odd one is confirmed by reading it again.
func (s Span) Same(a, b float64) bool {
	return math.Abs(a-b) <= 2*max(s.Step, s.Share*max(math.Abs(a), math.Abs(b)))
}
