package sizing_test

import (
	"testing"

	. "pandrel/core/bank/sizing"
	"pandrel/core/base/finding"
	"pandrel/golden"
)

func TestWhereCablesChange(t *testing.T) {
	posts := Cable{Amps: 75, OneWayM: 1.2, Volts: 25.6, DropShare: 0.02, Metal: Copper, Place: FreeAir, AtPosts: true,
		AmbientC: 30}
	golden.Judged(t, "cable", []golden.Case[Cable]{{Name: "at posts", In: posts}, {Name: "in a conduit",
		In: Cable{Amps: 20, OneWayM: 6, Volts: 12.8, DropShare: 0.03, Metal: Copper, Place: Conduit, AmbientC: 25}},
		{Name: "aluminium", In: Cable{Amps: 120, OneWayM: 2, Volts: 51.2, DropShare: 0.02, Metal: Aluminium,
			Place: FreeAir, AmbientC: 40}}}, func(c Cable) (any, error) { return Choose(c) })
	type given struct {
		Cable
		MM2 float64
	}
	golden.Judged(t, "section", []golden.Case[given]{{Name: "16 mm²", In: given{posts, 16}},
		{Name: "in between", In: given{posts, 30}}}, func(g given) (any, error) { return Of(g.Cable, g.MM2) })
	type bears struct {
		Metal               Metal
		Place               Place
		Section             float64
		Column, Ambient, Mm float64
		At                  []float64
	}
	golden.Answers(t, "bears", []golden.Case[bears]{{Name: "copper in free air", In: bears{Copper, FreeAir, 25, 60, 30,
		60, nil}}, {Name: "copper in a conduit", In: bears{Copper, Conduit, 25, 75, 40, 60, nil}}, {Name: "aluminium",
		In: bears{Aluminium, FreeAir, 35, 90, 50, 100, nil}}}, func(b bears) (any, error) {
		for _, s := range Sections() {
			b.At = append(b.At, CableAmps(b.Metal, s, b.Place, b.Column, b.Ambient))
		}
		for _, a := range []float64{-10, 5, 10, 11, 20, 26, 30, 36, 40, 45, 50, 55, 59, 60, 70} {
			b.At = append(b.At, CableAmps(b.Metal, b.Section, b.Place, b.Column, a), BarRise(a))
		}
		b.At = append(b.At, BarAmps(b.Metal, b.Section, b.Mm, 30), Ohms(b.Metal, b.Section, 2, 20), Ohms(b.Metal,
			b.Section, 2, 70))
		return b.At, nil
	})
	var names [][2]string
	var sections, studs []float64
	for n := -3; n <= 24; n++ {
		mm2 := GaugeMM2(n)
		sections = append(sections, mm2)
		for _, f := range []float64{0.9, 1, 1.01} {
			a, b := GaugeOf(f * mm2)
			names = append(names, [2]string{a, b})
		}
	}
	for _, s := range Sections() {
		studs = append(studs, StudFor(s), StudFor(1.01*s))
	}
	for _, s := range Studs() {
		low, high := RingHole(s)
		studs = append(studs, low, high)
	}
	golden.Same(t, "gauges", golden.Text(struct {
		Sections, Studs []float64
		Names           [][2]string
		Kinds           []Interrupt
		Fuses           []float64
		Unlike          []float64
	}{sections, studs, names, Kinds(), Fuses(), []float64{Inequality(10, 1, 1.5), Inequality(10, 2, 1), Inequality(0,
		1, 1)}}))
}

func TestWhereStockChanges(t *testing.T) {
	golden.Judged(t, "stock", []golden.Case[Stock]{
		{Name: "strands", In: Stock{Strands: 512, StrandMM: 0.25, Metal: Copper, AmbientC: 30, PrintMM2: 25}},
		{Name: "bar", In: Stock{WidthMM: 20, ThickMM: 3, HoleMM: 6.4, Metal: Copper, AmbientC: 35}},
		{Name: "bar that was printed on", In: Stock{WidthMM: 25, ThickMM: 2, Metal: Aluminium, AmbientC: 30,
			PrintMM2: 50}},
		{Name: "pipe", In: Stock{PipeMM: 12, ThickMM: 1, Metal: Copper, AmbientC: 30}}},
		func(s Stock) (any, error) { return Measure(s) })
}

func TestWhereFusesChange(t *testing.T) {
	golden.Judged(t, "fuse", []golden.Case[FuseNeed]{
		{Name: "known", In: FuseNeed{Amps: 60, ConductorAmps: 100, FullVolts: 29.2, MOhm: 8, DCMOhm: 9, PlaceM: 0.15}},
		{Name: "resistance not known", In: FuseNeed{Amps: 60, ConductorAmps: 100, FullVolts: 58.8, PlaceM: 0.1}},
		{Name: "others feed it", In: FuseNeed{Amps: 90, ConductorAmps: 200, FullVolts: 58.8, MOhm: 20, Others: 2}},
		{Name: "no load", In: FuseNeed{ConductorAmps: 80, FullVolts: 14.6, MOhm: 3}}},
		func(n FuseNeed) (any, error) { return Fuse(n) })
	golden.Judged(t, "precharge", []golden.Case[Precharge]{
		{Name: "farads", In: Precharge{Volts: 51.2, Farads: 0.02, Ohms: 33, Share: 0.95, SwitchAmps: 200, HoldWatts: 25,
			PulseJ: 100}},
		{Name: "watts alone", In: Precharge{Volts: 25.6, Watts: 2000, Ohms: 25, Share: 0.9, SwitchAmps: 100,
			HoldWatts: 10}},
		{Name: "something draws", In: Precharge{Volts: 51.2, Farads: 0.01, Ohms: 33, LoadWatts: 20, Share: 0.95,
			SwitchAmps: 150, HoldWatts: 50}},
		{Name: "the switch is not known", In: Precharge{Volts: 51.2, Farads: 0.01, Ohms: 33, LoadWatts: 4,
			Share: 0.95}}}, func(p Precharge) (any, error) { return Fill(p) })
}

func TestWherePathsAndJointsChange(t *testing.T) {
	type path struct {
		Load, Surge float64
		Elements    []Element
	}
	golden.Judged(t, "path", []golden.Case[path]{
		{Name: "four", In: path{60, 120, []Element{{Name: "cable", Kind: "cable", EverAmps: 90, MOhm: 1.2},
			{Name: "plug", Kind: "connector", EverAmps: 50, PeakAmps: 70, MOhm: 0.4, InParallel: 2},
			{Name: "BMS", Kind: "bms", EverAmps: 80, PeakAmps: 160, MOhm: 1}, {Name: "fuse", Kind: "fuse",
				EverAmps: 80, MOhm: 0.5}}}},
		{Name: "not known", In: path{60, 0, []Element{{Name: "cable", Kind: "cable", EverAmps: 40},
			{Name: "post", Kind: "post"}, {Name: "bar", Kind: "bar", EverAmps: 100, MOhm: 0.1, Assumed: true}}}}},
		func(p path) (any, error) { return Path(p.Load, p.Surge, p.Elements) })
	type joints struct {
		Amps float64
		List []Joint
	}
	golden.Judged(t, "joints", []golden.Case[joints]{
		{Name: "alike and one that is not", In: joints{50, []Joint{{"1", "bar", 2.5, nil}, {"2", "bar", 2.6,
			finding.Of(8)},
			{"3", "bar", 5.4, finding.Of(14)}, {"4", "bar", 2.4, nil}, {"5", "lug", 6, finding.Of(31)}}}},
		{Name: "two kinds of one", In: joints{20, []Joint{{"1", "bar", 1, nil}, {"2", "lug", 9, nil}}}}},
		func(j joints) (any, error) {
			out, fs, err := Joints(j.Amps, j.List)
			return struct {
				Joints   []JointJudged
				Findings []finding.Finding
			}{out, fs}, err
		})
	golden.Judged(t, "screw", []golden.Case[Screw]{
		{Name: "aluminium", In: Screw{ThreadMM: 6, LengthMM: 20, HoleMM: 14, BarMM: 3, RingMM: 2, WasherMM: 1.5,
			In: "aluminium"}},
		{Name: "steel", In: Screw{ThreadMM: 8, LengthMM: 16, HoleMM: 12, BarMM: 3, WasherMM: 2, In: "steel"}},
		{Name: "brass", In: Screw{ThreadMM: 5, LengthMM: 25, HoleMM: 10, BarMM: 2, In: "brass"}},
		{Name: "long", In: Screw{ThreadMM: 6, LengthMM: 40, HoleMM: 14, BarMM: 3, In: "steel"}}},
		func(s Screw) (any, error) { return Screwing(s) })
}
