// Package fall says how long groups in series may carry a current that nobody watches group by group: until their total
// has moved by what the nearest group had left when all of them were read (rules §5).
//
// Method. While a discharge goes on every group falls, so that none can fall further than the total does; while a
// charge goes on every group rises, and none further than the total. A fixed margin on the total says nothing of the
// weakest group: fifteen healthy ones hold the sum up while it is driven backwards.
//
// That no group moves the other way holds only while the current is at least what it was when the groups were read:
// when a load gets lighter all groups recover, and hide in the total what the weakest one loses. A reading of all
// groups therefore counts no more once less current flows, or once the total has moved the wrong way.
package fall

import (
	"math"
	"slices"
)

const (
	// EverySeconds is the longest time between two readings of all groups.
	EverySeconds = 15 * 60
	// graceSeconds is what it takes to type such a reading.
	graceSeconds = 60
	// weakerShare is how much less current than at the reading still counts as the same.
	weakerShare = 0.02
	// weakerAmps below it a meter's last digits.
	weakerAmps = 0.05
	// backShare of the total may it move the wrong way: the last digits of two readings of one meter.
	backShare = 0.001
	// sumShare of the total, and sumGroup volts a group, may the groups add up to something else than was read in all.
	sumShare = 0.005
	sumGroup = 0.005
	// digits is far below any meter's: what is typed in decimals is compared as such.
	digits = 1e-9
)

// Reading is what was read at one moment: Groups are all of them, from the main negative up, or none.
type Reading struct {
	Seconds float64
	Volts   float64 // in all
	Amps    float64 // positive charges
	Groups  []float64
}

// State is whether a step may go on by its total.
type State int

// The states.
const (
	Goes   State = iota // until the total stands at Until
	Unread              // all groups were never read in this step
	Old                 // they were read too long ago
	Moved               // the total has moved as far as the nearest group may
	Weaker              // less current flows than when they were read, or the total moved the wrong way
	Apart               // what was read of the groups is not what was read in all
	AtEnd               // a group stood at its limit when they were read
)

// Watch is how a step stands.
type Watch struct {
	State State
	Base  Reading // the newest reading of all groups, zero where Unread
	Group int     // the one nearest to its limit then, from 1
	Left  float64 // volts that group had left then
	Until float64 // where the total stands when it may not go on
	Moved float64 // how far the total has moved since, volts towards the limit
}

// Of says how a step stands nowS seconds after it began. groups is how many are in series, limit the volts at which a
// group must stop, charging which way the current flows; readings are those of the step in order.
func Of(groups int, limit float64, charging bool, readings []Reading, nowS float64) Watch {
	way := -1.0
	if charging {
		way = 1
	}
	at := -1
	for i, r := range readings {
		if groups > 0 && len(r.Groups) == groups {
			at = i
		}
	}
	if at < 0 {
		return Watch{State: Unread}
	}
	w := Watch{Base: readings[at], Left: math.Inf(1)}
	for i, v := range w.Base.Groups {
		if left := way * (limit - v); left < w.Left {
			w.Left, w.Group = left, i+1
		}
	}
	w.Until = w.Base.Volts + way*w.Left
	sum := 0.0
	for _, v := range w.Base.Groups {
		sum += v
	}
	since := readings[at+1:]
	for _, r := range since {
		w.Moved = max(w.Moved, way*(r.Volts-w.Base.Volts))
	}
	weaker := slices.ContainsFunc(since, func(r Reading) bool {
		less := math.Abs(w.Base.Amps) - math.Abs(r.Amps)
		return less > max(weakerAmps, weakerShare*math.Abs(w.Base.Amps)) ||
			way*(w.Base.Volts-r.Volts) > backShare*w.Base.Volts
	})
	switch {
	case w.Left <= digits:
		w.State = AtEnd
	case math.Abs(sum-w.Base.Volts) > sumShare*w.Base.Volts+sumGroup*float64(groups):
		w.State = Apart
	case w.Moved >= w.Left-digits:
		w.State = Moved
	case weaker:
		w.State = Weaker
	case nowS-w.Base.Seconds > EverySeconds+graceSeconds:
		w.State = Old
	}
	return w
}
