package demo_test

import (
	"context"
	"testing"
	"time"

	"pandrel/demo"
	"pandrel/shop"
	"pandrel/store"
)

func TestSampleWorkshopHangsTogether(t *testing.T) {
	st, err := store.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	ctx := context.Background()
	if err := demo.Fill(ctx, st, now); err != nil {
		t.Fatal(err)
	}
	s := shop.New(st, func() time.Time { return now })
	path, err := s.Path(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, w := range path {
		if w.Count == 0 {
			t.Errorf("nothing waits at %s", w.Station)
		}
		if w.Count > 0 && (w.Oldest.IsZero() || w.Oldest.After(now)) {
			t.Errorf("%s: oldest %v", w.Station, w.Oldest)
		}
	}
	today, err := s.Today(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if today.Modules < 55 || today.Modules > 70 || len(today.Quarantined) < 2 || len(today.Reread) == 0 || len(today.Suspects) < 2 || len(today.Banks) != 3 {
		t.Errorf("modules %d, quarantined %d, reread %d, suspects %d, banks %d", today.Modules, len(today.Quarantined), len(today.Reread), len(today.Suspects), len(today.Banks))
	}
	want := map[string]struct{ verdict, class, station string }{
		"K-006": {"suspect", "", shop.Test},
		"K-009": {"suspect", "", shop.Test},
		"K-011": {"", "D", shop.Out},
		"K-020": {"reread", "", shop.Survey},
		"K-112": {"suspect", "", shop.Test},
		"K-123": {"leaking", "", shop.Grade},
		"K-108": {"", "", shop.Test},
		"K-115": {"", "", shop.Test},
	}
	for number, w := range want {
		m, err := s.Module(ctx, number)
		if err != nil {
			t.Fatal(err)
		}
		if w.verdict != "" && m.Verdict != w.verdict || m.Class != w.class || m.Station != w.station {
			t.Errorf("%s: verdict %q, class %q, station %q", number, m.Verdict, m.Class, m.Station)
		}
	}
}

// The simulated meter sees the sample's own truth: end to end a module's voltage, against the case
// nothing, or what leaks.
func TestBench(t *testing.T) {
	st, err := store.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	b, err := demo.FillBench(context.Background(), st, time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC))
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		module, red, black string
		low, high          float64
		ok                 bool
	}{
		{"K-202", "P1", "P2", 7, 8.4, true}, {"K-202", "P2", "P1", -8.4, -7, true}, {"K-202", "P1", "case", 0, 0, true}, {"K-205", "P1", "case", 7, 8.4, true}, {"K-205", "case", "P1", -8.4, -7, true},
		{"K-205", "P2", "case", 0, 0, true}, {"K-202", "P9", "case", 0, 0, false}, {"K-999", "P1", "P2", 0, 0, false},
	} {
		v, ok := b.Touch(c.module, c.red, c.black)
		if ok != c.ok || v < c.low || v > c.high {
			t.Errorf("%s, %s to %s: %v %v", c.module, c.red, c.black, v, ok)
		}
	}
	var none *demo.Bench
	if _, ok := none.Touch("K-202", "P1", "P2"); ok {
		t.Error("an empty bench was touched")
	}
}
