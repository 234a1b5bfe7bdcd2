package shop_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/bench/kit"
	"pandrel/shop/kernel"
	"pandrel/shop/test"
)

// The bench plans what waits: each once, on a channel that can, and says why others are not on it.
func TestTheBenchPlansWhatWaits(t *testing.T) {
	r := newRig(t)
	r.at = time.Date(2026, 11, 2, 9, 0, 0, 0, time.UTC)
	r.receive("K-001", 5)
	r.look("K-001")
	r.mapType("K-001")
	for _, n := range []string{"K-001", "K-002", "K-003", "K-004"} {
		if n != "K-001" {
			r.look(n)
		}
		_, err := r.survey(n, flat(3.7)...)
		r.must(err)
	}
	if _, own, err := r.Bench.Kit(r.ctx); err != nil || own {
		t.Fatalf("own %v, %v", own, err)
	}
	s, err := r.Tests.Schedule(r.ctx)
	r.must(err)
	if len(s.Plan.Slots) != 4 || len(s.Left) != 0 || !slices.Contains(s.Channels, "Cycler A.2") {
		t.Fatalf("%+v, left %v, channels %v", s.Plan.Slots, s.Left, s.Channels)
	}
	r.must(r.Bench.Pin(r.ctx, "K-002", "Cycler A.2", r.token()))
	s, err = r.Tests.Schedule(r.ctx)
	r.must(err)
	for _, x := range s.Plan.Slots {
		if x.Job == "K-002" && s.Channels[x.Channel] != "Cycler A.2" {
			t.Errorf("held to Cycler A.2, planned on %s", s.Channels[x.Channel])
		}
	}
	var inv *kernel.Invalid
	if err := r.Bench.Pin(r.ctx, "K-002", "nowhere", r.token()); !errors.As(err, &inv) {
		t.Errorf("a channel that is not there: %v", err)
	}
	// Another bench: a charger that reads no group cannot charge seven in series to full.
	k := kit.Kit{WorkTo: 24, Devices: []kit.Device{{Name: "B", Channels: 2, SeriesMost: 8, ChargeAmps: 20,
		OwnEndPoint: true}, {Name: "L", Channels: 1, SeriesMost: 8, LoadAmps: 20, OwnEndPoint: true}}}
	r.must(r.Bench.SaveKit(r.ctx, k, r.token()))
	s, err = r.Tests.Schedule(r.ctx)
	r.must(err)
	if len(s.Plan.Slots) != 0 || len(s.Left) != 4 || !strings.Contains(s.Left[0].Why, "monitored") ||
		len(s.Channels) != 1 {
		t.Errorf("%+v, left %v on %v", s.Plan.Slots, s.Left, s.Channels)
	}
	k.Devices[0].Channels = 0
	if err := r.Bench.SaveKit(r.ctx, k, r.token()); !errors.As(err, &inv) {
		t.Errorf("a device of no channels: %v", err)
	}
	// What is on record of the module stands in its plan.
	r.look("K-001", "swollen")
	m, typ, err := r.ModuleWithType(r.ctx, "K-001")
	r.must(err)
	p, why, err := r.Bench.PlanOf(r.ctx, m, typ, "")
	if err != nil || why != "" || !p.Refused {
		t.Errorf("a swollen one is planned: %+v %q %v", p.Findings, why, err)
	}
}

// What a channel is sent is made for it: another device of the bench that could do more is not asked, and the schedule
// books each device once.
func TestWhatIsSentIsMadeForItsChannel(t *testing.T) {
	r, _, _ := cycling(t)
	k := kit.Kit{WorkTo: 24, Devices: []kit.Device{
		{Name: "Charger B", Channels: 3, SeriesMost: 8, ChargeAmps: 40, OwnEndPoint: true, GroupVolts: true},
		{Name: "Load C", Channels: 1, SeriesMost: 16, LoadAmps: 30, OwnEndPoint: true, GroupVolts: true},
		{Name: "Slow", Channels: 1, SeriesMost: 8, ChargeAmps: 3, LoadAmps: 2, OwnEndPoint: true, GroupVolts: true},
		{Name: "Fast", Channels: 1, SeriesMost: 8, ChargeAmps: 9, LoadAmps: 8, LoadWatts: 150, OwnEndPoint: true,
			GroupVolts: true}}}
	r.must(r.Bench.SaveKit(r.ctx, k, r.token()))
	for channel, most := range map[int][2]float64{1: {3, 2}, 2: {9, 150 / (7 * 4.2)}} {
		id, err := r.Tests.Start(r.ctx, "K-001", channel, r.token())
		r.must(err)
		x := r.run(id)
		steps, err := x.Test.Steps.Get()
		r.must(err)
		for _, s := range steps {
			if s.Amps > most[0]+1e-9 || -s.Amps > most[1]+1e-9 || s.Amps != 0 && !s.Watched {
				t.Errorf("channel %d is told %.1f A, it can %v A", channel, s.Amps, most)
			}
		}
		r.must(r.Tests.Control(r.ctx, id, "stop", r.token()))
	}
	r.look("K-002")
	_, err := r.survey("K-002", flat(3.7)...)
	r.must(err)
	s, err := r.Tests.Schedule(r.ctx)
	r.must(err)
	if want := []string{"Charger B.1", "Slow", "Fast"}; !slices.Equal(s.Channels, want) || len(s.Plan.Slots) != 2 {
		t.Errorf("channels %v, expected %v: %+v", s.Channels, want, s.Plan.Slots)
	}
	_, err = r.Tests.StartByHand(r.ctx, test.ByHandInput{Number: "K-002", Token: r.token()})
	r.must(err)
	s, err = r.Tests.Schedule(r.ctx)
	r.must(err)
	if len(s.Plan.Slots) != 1 || len(s.Left) != 1 || s.Left[0].Why != "it is being tested by hand" {
		t.Errorf("%+v, left %+v", s.Plan.Slots, s.Left)
	}
}
