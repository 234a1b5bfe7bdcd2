package demo_test

import (
	"context"
	"fmt"
	"slices"
	"testing"
	"time"

	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/module/survey"
	"pandrel/core/module/variant"
	"pandrel/demo"
	once "pandrel/demo/sample"
	"pandrel/shop"
	"pandrel/shop/measure"
	"pandrel/shop/steps"
	"pandrel/store"
)

// sample is the sample workshop as it is on one day.
func sample(t *testing.T) (context.Context, *shop.Shop, time.Time) {
	t.Helper()
	now := time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	st := once.Open(t, now)
	return context.Background(), shop.New(st, func() time.Time { return now }), now
}

func TestSampleWorkshopHangsTogether(t *testing.T) {
	ctx, s, now := sample(t)
	path, err := s.Desk.Path(ctx)
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
	today, err := s.Desk.Today(ctx)
	if err != nil {
		t.Fatal(err)
	}
	if today.Modules < 75 || today.Modules > 95 || len(today.Quarantined) < 2 || len(today.Reread) == 0 ||
		len(today.Suspects) < 2 || len(today.Banks) != 4 {
		t.Errorf("modules %d, quarantined %d, reread %d, suspects %d, banks %d", today.Modules,
			len(today.Quarantined), len(today.Reread), len(today.Suspects), len(today.Banks))
	}
	want := map[string]struct {
		verdict survey.Verdict
		class   grade.Class
		station station.Station
	}{
		"K-006": {"suspect", "", station.Test},
		"K-009": {"suspect", "", station.Test},
		"K-011": {"", "D", station.Out},
		"K-020": {"reread", "", station.Survey},
		"K-112": {"suspect", "", station.Test},
		"K-123": {"leaking", "", station.Grade},
		"K-108": {"", "", station.Test},
		"K-115": {"", "", station.Test},
	}
	for number, w := range want {
		t.Run(number, func(t *testing.T) {
			m, err := s.Module(ctx, number)
			if err != nil {
				t.Fatal(err)
			}
			if w.verdict != "" && m.Verdict != w.verdict || m.Class != w.class || m.Station != w.station {
				t.Errorf("%s: verdict %q, class %q, station %q", number, m.Verdict, m.Class, m.Station)
			}
		})
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
		{"K-202", "P1", "P2", 7, 8.4, true}, {"K-202", "P2", "P1", -8.4, -7, true},
		{"K-202", "P1", "case", 0, 0, true}, {"K-205", "P1", "case", 7, 8.4, true},
		{"K-205", "case", "P1", -8.4, -7, true},
		{"K-205", "P2", "case", 0, 0, true}, {"K-202", "P9", "case", 0, 0, false}, {"K-999", "P1", "P2", 0, 0, false},
	} {
		t.Run(c.module, func(t *testing.T) {
			v, ok := b.Touch(c.module, c.red, c.black)
			if ok != c.ok || v < c.low || v > c.high {
				t.Errorf("%s, %s to %s: %v %v", c.module, c.red, c.black, v, ok)
			}
		})
	}
	var none *demo.Bench
	if _, ok := none.Touch("K-202", "P1", "P2"); ok {
		t.Error("an empty bench was touched")
	}
}

// Each trouble that the sample shows is found by the rules, not written beside it.
func TestTheTroublesOfTheSample(t *testing.T) {
	ctx, s, _ := sample(t)
	for number, code := range map[string]string{"K-121": "reading-outlier", "K-120": "loop-open",
		"K-251": "two-strings", "K-102": "floating"} {
		t.Run(number, func(t *testing.T) {
			l, err := s.Desk.Life(ctx, number)
			if err != nil || len(l.Sets) == 0 {
				t.Fatalf("%s: %v", number, err)
			}
			_, rs, err := s.Measure.Probes(ctx, l.Sets[0].ID)
			if err != nil {
				t.Fatal(err)
			}
			m, err := measure.TryMap(l.Type, rs)
			if err != nil {
				t.Fatal(err)
			}
			var codes []string
			for _, f := range m.Findings {
				codes = append(codes, f.Code)
			}
			if !slices.Contains(codes, code) {
				t.Errorf("%s: %v, expected %s", number, codes, code)
			}
		})
	}
	l, err := s.Desk.Life(ctx, "K-102")
	if err != nil || l.Surveys[len(l.Surveys)-1].Result.Groups[2].Shared != 2 || l.Module.Hold == "" {
		t.Errorf("K-102, surveyed beside its dead tap: hold %q, %v", l.Module.Hold, err)
	}
	if m, _ := s.Module(ctx, "K-213"); m.Station != station.Out {
		t.Errorf("the burnt one is at %s", m.Station)
	}
	for id, possible := range map[int64]string{1: variant.Cut, 2: variant.LinksMoved} {
		t.Run(fmt.Sprint(id), func(t *testing.T) {
			ty, err := s.Type(ctx, id)
			if err != nil {
				t.Fatal(err)
			}
			vs, _, err := s.Types.VariantsOf(ctx, ty)
			if err != nil {
				t.Fatal(err)
			}
			yes := slices.ContainsFunc(vs, func(v variant.Variant) bool { return v.Kind == possible && v.Possible })
			if no := slices.ContainsFunc(vs, func(v variant.Variant) bool { return !v.Possible }); !yes || id == 1 &&
				!no {
				t.Errorf("%s: %s possible %v, a welded joint in the way %v", ty.Name, possible, yes, no)
			}
		})
	}
	v, err := s.Procedure.StandingByID(ctx, 7)
	if err != nil || !slices.ContainsFunc(v.Records, func(r steps.Record) bool { return r.Override != "" }) {
		t.Errorf("no override on record: %v", err)
	}
}
