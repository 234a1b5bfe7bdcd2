package test

import (
	"context"
	"slices"

	"pandrel/core/base/station"
	"pandrel/core/bench/kit"
	"pandrel/core/bench/schedule"
	"pandrel/core/test/kind"
	"pandrel/shop/bench"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// mostPlanned bounds how many waiting modules are planned at once.
const mostPlanned = 200

// handsHours is connecting and checking one module, inside working hours.
const handsHours = 0.25

// LeftOut is a waiting module that is not on the schedule, with the reason.
type LeftOut struct{ Number, Why string }

// Scheduled is the schedule of all that wait for a test.
type Scheduled struct {
	Plan     schedule.Plan
	Channels []string
	Left     []LeftOut
	Pins     map[string]string
	More     int // that wait beyond those that were planned
}

// Schedule plans all modules that wait for a test, from now.
//
// In one piece: each module is asked for its hours on every channel, and then all are placed.
func (s *Room) Schedule(ctx context.Context) (out Scheduled, err error) {
	db := s.Store.DB.WithContext(ctx)
	k, _, err := s.Bench.Kit(ctx)
	if err != nil {
		return out, err
	}
	out.Channels, out.Pins = bench.Channels(k), map[string]string{}
	if len(out.Channels) == 0 {
		return out, nil
	}
	var mods []store.Module
	if err = db.Where("station = ? AND quarantined = 0",
		station.Test).Order("station_since, number").Limit(mostPlanned + 1).Find(&mods).Error; err != nil {
		return out, err
	}
	if len(mods) > mostPlanned {
		var n int64
		if err = db.Model(&store.Module{}).Where("station = ? AND quarantined = 0",
			station.Test).Count(&n).Error; err != nil {
			return out, err
		}
		mods, out.More = mods[:mostPlanned], int(n)-mostPlanned
	}
	var pins []store.BenchPin
	if err = db.Find(&pins).Error; err != nil {
		return out, err
	}
	held := map[int64]string{}
	for _, p := range pins {
		held[p.ModuleID] = p.Channel
	}
	under, err := underNow(db)
	if err != nil {
		return out, err
	}
	says := map[int64]string{}
	for _, r := range under {
		if says[r.ModuleID] = "its test runs"; r.Source == kind.ByHand {
			says[r.ModuleID] = "it is being tested by hand"
		}
	}
	types := map[int64]store.ModuleType{}
	var jobs []schedule.Job
	for _, m := range mods {
		t, ok := types[m.TypeID]
		if !ok {
			if t, err = kernel.TypeByID(db, m.TypeID); err != nil {
				return out, err
			}
			types[m.TypeID] = t
		}
		x, why, err := s.Bench.Planned(db, m, t)
		if err != nil {
			return out, err
		}
		if w := says[m.ID]; w != "" {
			why = w
		}
		if why == "" {
			var j schedule.Job
			if j, why, err = bench.JobOf(x, k); err != nil {
				return out, err
			}
			if why == "" {
				j.Pin = slices.Index(out.Channels, held[m.ID])
				if j.Pin >= 0 {
					out.Pins[m.Number] = held[m.ID]
				}
				jobs = append(jobs, j)
				continue
			}
		}
		out.Left = append(out.Left, LeftOut{m.Number, why})
	}
	now := s.Now()
	busy, err := s.busy(ctx, k)
	if err != nil {
		return out, err
	}
	out.Plan, err = schedule.Make(jobs, schedule.Shop{Channels: out.Channels, Busy: busy, Start: float64(now.Hour()) +
		float64(now.Minute())/60, WorkFrom: k.WorkFrom, WorkTo: k.WorkTo, HandsHours: handsHours, Store: k.Store})
	for _, n := range out.Plan.Left {
		out.Left = append(out.Left, LeftOut{n, "the channel that it is held to cannot test it"})
	}
	return out, err
}

// busy is what runs on each channel of the schedule, and how much longer it is expected to: a test that runs long moves
// what stands behind it each time the page is asked. The channels of the cycler are those of the devices that charge,
// discharge, end by themselves and read every group, in their order.
func (s *Room) busy(ctx context.Context, k kit.Kit) ([]schedule.Busy, error) {
	out := make([]schedule.Busy, len(bench.Channels(k)))
	var of []int // the channel of the schedule for each of the cycler
	cyclers := k.Cyclers()
	for i, s := range k.Stations() {
		if slices.Contains(cyclers, s) {
			of = append(of, i)
		}
	}
	runs, err := s.RunsNow(ctx)
	for _, r := range runs {
		if r.Channel >= 1 && r.Channel <= len(of) {
			out[of[r.Channel-1]] = schedule.Busy{Job: r.Number(), Hours: r.Whole / 3600}
		}
	}
	return out, err
}
