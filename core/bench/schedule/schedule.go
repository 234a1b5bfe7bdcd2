// Package schedule puts tests on channels so that all of them are done early (rules §5): chargers are machines,
// modules are jobs, and what needs hands begins only while somebody is there.
//
// Method. Longest first, each to the channel on which it ends earliest; then moves and swaps of jobs between channels
// while they end the whole earlier, and at last a bounded search that packs the channels against the bound. It never
// ends later than longest first alone. The bound: no schedule is shorter than the longest job at its fastest, than all
// the work shared evenly, or than any k·m + 1 longest jobs allow, of which some channel takes k + 1.
package schedule

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/numeral"
	"pandrel/core/bench/kit"
)

// Job is one test: its hours on each channel, 0 where it cannot run there, and its energy by the hour, in step. Pin is
// a channel it must run on, −1 for any. Steps are hours and kWh (into the module positive) one after the other.
type Job struct {
	Name  string
	Hours []float64
	Pin   int
	Steps []Step
}

// Step is a part of a job: hours and energy into the module.
type Step struct {
	Kind  string
	Hours float64
	KWh   float64
}

// Shop is the channels and the hours. Start is the hour of the day at which the schedule begins. HandsHours is what
// connecting takes, inside working hours. Busy is what runs on each channel and how many hours longer, none where all
// are free.
type Shop struct {
	Channels   []string
	Busy       []Busy
	Start      float64
	WorkFrom   float64
	WorkTo     float64 // both 0: somebody is always there
	HandsHours float64
	Store      kit.Store
}

// Busy is what a channel is taken by, "" for nothing.
type Busy struct {
	Job   string
	Hours float64
}

// free is when a channel can take its first job.
func (s Shop) free(c int) float64 {
	if c < len(s.Busy) {
		return s.Busy[c].Hours
	}
	return 0
}

// Slot is a job on its channel, hours from the start.
type Slot struct {
	Job        string  `json:"job"`
	Channel    int     `json:"channel"`
	Runs       bool    `json:"runs,omitempty"` // it runs already
	Begin, End float64 `json:"-"`
}

// Plan is the whole schedule.
type Plan struct {
	Slots        []Slot
	Finish       float64 // hours from the start
	Bound        float64 // no schedule is shorter
	LongestFirst float64 // what the simple rule gives
	Left         []string
	Store        [][2]float64 // its charge by the hour, kWh
	WallKWh      float64
	WallStoreKWh float64
	Attended     float64
	OneMoreSaves float64 // hours, with one more channel like the best
}

// state is which jobs stand on which channel, in order.
type state [][]int

// Make plans. It fails where a job cannot be as it is said.
func Make(jobs []Job, s Shop) (Plan, error) {
	if len(s.Channels) < 1 || len(s.Channels) > 200 || len(jobs) > 2000 {
		return Plan{}, fmt.Errorf("%d jobs on %s: expected up to 2000 on 1 to 200", len(jobs),
			numeral.Count(len(s.Channels), "channel"))
	}
	var p Plan
	for c, b := range s.Busy {
		if c >= len(s.Channels) || !(b.Hours >= 0 && b.Hours < 1e5) {
			return p, fmt.Errorf("channel %d is taken for %v hours: expected a channel, and 0 or more", c+1, b.Hours)
		}
	}
	var can []Job
	for _, j := range jobs {
		if len(j.Hours) != len(s.Channels) {
			return p, fmt.Errorf("%s: hours on %s of %d", j.Name, numeral.Count(len(j.Hours), "channel"),
				len(s.Channels))
		}
		any := false
		for c, h := range j.Hours {
			if !(h >= 0 && h < 1e5) {
				return p, fmt.Errorf("%s: %v hours: expected 0 or more", j.Name, h)
			}
			if j.Pin >= 0 && j.Pin != c {
				j.Hours = slices.Clone(j.Hours)
				j.Hours[c] = 0
				continue
			}
			any = any || h > 0
		}
		if !any {
			p.Left = append(p.Left, j.Name)
			continue
		}
		can = append(can, j)
	}
	lpt := s.longest(can)
	p.LongestFirst = s.finish(can, lpt)
	p.Bound = bound(can, len(s.Channels))
	st := s.improve(can, lpt, p.Bound)
	p.fill(can, s, st)
	if n := len(s.Channels); len(can) > 1 {
		more := s
		more.Channels = append(slices.Clone(s.Channels), "one more")
		wide := make([]Job, len(can))
		for i, j := range can {
			j.Hours = append(slices.Clone(j.Hours), fastest(j))
			if j.Pin >= 0 {
				j.Hours[n] = 0
			}
			wide[i] = j
		}
		p.OneMoreSaves = max(0, p.Finish-more.finish(wide, more.improve(wide, more.longest(wide), bound(wide, n+1))))
	}
	return p, nil
}

func fastest(j Job) float64 {
	best := math.Inf(1)
	for _, h := range j.Hours {
		if h > 0 {
			best = min(best, h)
		}
	}
	return best
}

// bound is what no schedule can beat.
func bound(jobs []Job, m int) float64 {
	if len(jobs) == 0 {
		return 0
	}
	var h []float64
	sum, longest := 0.0, 0.0
	for _, j := range jobs {
		f := fastest(j)
		h = append(h, f)
		sum, longest = sum+f, max(longest, f)
	}
	slices.SortFunc(h, func(a, b float64) int { return cmp.Compare(b, a) })
	out := max(longest, sum/float64(m))
	for k := 1; k*m < len(h); k++ { // of the k·m+1 longest, some channel has k+1: the shortest of them at least
		part := 0.0
		for i := k*m - k; i <= k*m; i++ {
			part += h[i]
		}
		out = max(out, part)
	}
	return out
}

// hands is the earliest moment from t, in hours from the start, at which connecting can begin.
func (s Shop) hands(t float64) float64 {
	if s.WorkTo <= s.WorkFrom {
		return t
	}
	at := math.Mod(s.Start+t, 24)
	last := max(s.WorkFrom, s.WorkTo-s.HandsHours)
	switch {
	case at < s.WorkFrom:
		return t + s.WorkFrom - at
	case at > last+1e-9:
		return t + 24 - at + s.WorkFrom
	}
	return t
}

// end is when a channel is done with its jobs.
func (s Shop) end(jobs []Job, order []int, channel int) float64 {
	t := 0.0
	if len(order) > 0 {
		t = s.free(channel)
	}
	for _, i := range order {
		t = s.hands(t) + jobs[i].Hours[channel]
	}
	return t
}

func (s Shop) finish(jobs []Job, st state) float64 {
	out := 0.0
	for c, order := range st {
		out = max(out, s.end(jobs, order, c))
	}
	return out
}

// longest is longest first, each to where it ends earliest.
func (s Shop) longest(jobs []Job) state {
	order := make([]int, len(jobs))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(fastest(jobs[b]), fastest(jobs[a])) })
	st := make(state, len(s.Channels))
	ends := make([]float64, len(s.Channels))
	for c := range ends {
		ends[c] = s.free(c)
	}
	for _, i := range order {
		best, at := -1, math.Inf(1)
		for c := range st {
			if h := jobs[i].Hours[c]; h > 0 {
				if e := s.hands(ends[c]) + h; e < at-1e-12 {
					best, at = c, e
				}
			}
		}
		st[best], ends[best] = append(st[best], i), at
	}
	return st
}

// improve moves and swaps while that ends the whole earlier, or as early with less work on the channel that ends last.
func (s Shop) improve(jobs []Job, st state, bound float64) state {
	st = clone(st)
	ends := make([]float64, len(st))
	for c := range st {
		ends[c] = s.end(jobs, st[c], c)
	}
	for range 20 * (len(jobs) + 10) {
		worst := 0
		for c := range ends {
			if ends[c] > ends[worst] {
				worst = c
			}
		}
		if ends[worst] <= bound+1e-9 || !s.relieve(jobs, st, ends, worst) {
			break
		}
	}
	return st
}

// relieve finds the best change that makes the worst channel end earlier without another ending as late.
func (s Shop) relieve(jobs []Job, st state, ends []float64, worst int) bool {
	type change struct{ at, to, with int }
	best, value := change{-1, 0, 0}, ends[worst]-1e-9
	try := func(a, b []int, to int, c change) {
		if v := max(s.end(jobs, a, worst), s.end(jobs, b, to)); v < value {
			best, value = c, v
		}
	}
	for i, job := range st[worst] {
		for to := range st {
			if to == worst || jobs[job].Hours[to] <= 0 {
				continue
			}
			rest := slices.Delete(slices.Clone(st[worst]), i, i+1)
			try(rest, append(slices.Clone(st[to]), job), to, change{i, to, -1})
			for k, other := range st[to] {
				if jobs[other].Hours[worst] <= 0 {
					continue
				}
				a, b := slices.Clone(st[worst]), slices.Clone(st[to])
				a[i], b[k] = other, job
				try(a, b, to, change{i, to, k})
				// two of the other for one of this
				for l := k + 1; l < len(st[to]); l++ {
					if jobs[st[to][l]].Hours[worst] <= 0 {
						continue
					}
					a2 := append(slices.Clone(a), st[to][l])
					b2 := slices.Delete(slices.Clone(b), l, l+1)
					try(a2, b2, to, change{i, to, k + (l+1)*len(jobs)})
				}
			}
		}
	}
	if best.at < 0 {
		return false
	}
	a, b, job := st[worst], st[best.to], st[worst][best.at]
	switch {
	case best.with < 0:
		a, b = slices.Delete(slices.Clone(a), best.at, best.at+1), append(slices.Clone(b), job)
	default:
		k, l := best.with%len(jobs), best.with/len(jobs)-1
		a, b = slices.Clone(a), slices.Clone(b)
		a[best.at], b[k] = b[k], job
		if l >= 0 {
			a = append(a, b[l])
			b = slices.Delete(b, l, l+1)
		}
	}
	st[worst], st[best.to] = a, b
	ends[worst], ends[best.to] = s.end(jobs, a, worst), s.end(jobs, b, best.to)
	return true
}

func clone(st state) state {
	out := make(state, len(st))
	for c := range st {
		out[c] = slices.Clone(st[c])
	}
	return out
}

// fill writes the plan down: slots, energy, the store by the hour.
func (p *Plan) fill(jobs []Job, s Shop, st state) {
	type piece struct{ begin, end, kwh float64 }
	var pieces []piece
	for c, order := range st {
		t := s.free(c)
		if t > 0 {
			p.Slots = append(p.Slots, Slot{Job: s.Busy[c].Job, Channel: c, Runs: true, End: t})
		}
		for _, i := range order {
			j := jobs[i]
			b := s.hands(t)
			t = b + j.Hours[c]
			p.Slots = append(p.Slots, Slot{Job: j.Name, Channel: c, Begin: b, End: t})
			p.Attended += s.HandsHours
			whole := 0.0
			for _, x := range j.Steps {
				whole += x.Hours
			}
			at := b
			for _, x := range j.Steps {
				e := at + x.Hours/max(whole, 1e-9)*j.Hours[c]
				if x.KWh != 0 {
					pieces = append(pieces, piece{at, e, x.KWh})
				}
				at = e
			}
		}
		if len(order) > 0 {
			p.Finish = max(p.Finish, t)
		}
	}
	slices.SortFunc(p.Slots, func(a, b Slot) int {
		return cmp.Or(cmp.Compare(a.Channel, b.Channel), cmp.Compare(a.Begin, b.Begin))
	})
	eff := s.Store.Efficiency
	if eff == 0 {
		eff = 0.9
	}
	const step = 0.25
	held := s.Store.From * s.Store.KWh
	for t := 0.0; t < p.Finish; t += step {
		in, out := 0.0, 0.0
		for _, x := range pieces {
			over := max(0, min(x.end, t+step)-max(x.begin, t)) / max(x.end-x.begin, 1e-9)
			in, out = in+max(0, x.kwh)*over, out+max(0, -x.kwh)*over
		}
		p.WallKWh += in / eff
		if s.Store.KWh > 0 {
			held = min(kit.StoreHigh*s.Store.KWh, held+out*eff)
			give := min(in/eff, max(0, held-kit.StoreLow*s.Store.KWh)*eff)
			held -= give / eff
			p.WallStoreKWh += in/eff - give
			p.Store = append(p.Store, [2]float64{t, held})
		}
	}
	if s.Store.KWh == 0 {
		p.WallStoreKWh = p.WallKWh
	}
}
