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
