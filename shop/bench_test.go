package shop_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/bench/kit"
	"pandrel/shop/kernel"
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
	s, err := r.Bench.Schedule(r.ctx)
	r.must(err)
	if len(s.Plan.Slots) != 4 || len(s.Left) != 0 || !slices.Contains(s.Channels, "Cycler A.2") {
		t.Fatalf("%+v, left %v, channels %v", s.Plan.Slots, s.Left, s.Channels)
	}
	r.must(r.Bench.Pin(r.ctx, "K-002", "Cycler A.2", "AK", r.token()))
	s, err = r.Bench.Schedule(r.ctx)
	r.must(err)
	for _, x := range s.Plan.Slots {
		if x.Job == "K-002" && s.Channels[x.Channel] != "Cycler A.2" {
			t.Errorf("held to Cycler A.2, planned on %s", s.Channels[x.Channel])
		}
	}
	var inv *kernel.Invalid
	if err := r.Bench.Pin(r.ctx, "K-002", "nowhere", "AK", r.token()); !errors.As(err, &inv) {
		t.Errorf("a channel that is not there: %v", err)
	}
	// Another bench: a charger that reads no group cannot charge seven in series to full.
	k := kit.Kit{WorkTo: 24, Devices: []kit.Device{{Name: "B", Channels: 2, SeriesMost: 8, ChargeAmps: 20,
		OwnEndPoint: true},
		{Name: "L", Channels: 1, SeriesMost: 8, LoadAmps: 20, OwnEndPoint: true}}}
	r.must(r.Bench.SaveKit(r.ctx, k, "AK", r.token()))
	s, err = r.Bench.Schedule(r.ctx)
	r.must(err)
	if len(s.Plan.Slots) != 0 || len(s.Left) != 4 || !strings.Contains(s.Left[0].Why, "monitored") ||
		len(s.Channels) != 1 {
		t.Errorf("%+v, left %v on %v", s.Plan.Slots, s.Left, s.Channels)
	}
	k.Devices[0].Channels = 0
	if err := r.Bench.SaveKit(r.ctx, k, "AK", r.token()); !errors.As(err, &inv) {
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
