package draw_test

import (
	"encoding/xml"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"pandrel/core/bank/floor"
	"pandrel/core/bank/floor/floortest"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/chem"
	"pandrel/core/module/face"
	"pandrel/core/procedure/pack"
	"pandrel/core/test/logfile"
	"pandrel/core/test/logview"
	"pandrel/core/test/trace"
	"pandrel/core/trainer/virtual"
	"pandrel/draw"
)

var update = flag.Bool("update", false, "write the golden files again")

func ladder() draw.Ladder {
	return draw.Ladder{Title: "Survey of K-112", Rungs: []draw.Rung{{Points: []string{"A-", "X1", "X2"}}, {Volts: 3.71,
		Points: []string{"X3"}}, {Volts: 7.35, Hidden: true}, {Volts: 11.06, Points: []string{"A+"}}},
		Blocks: []draw.Block{{Label: "group 1", Volts: 3.71, Verdict: "ok"}, {Label: "group 2", Volts: 3.64,
			Verdict: "suspect", OffsetPct: -12}, {Label: "group 3", Volts: 3.71, Verdict: "ok"}}}
}

func strip(as func(string, []draw.StripModule) string) string {
	return as("Newest survey", []draw.StripModule{{Name: "K-101", Volts: []float64{3.71, 3.711, 3.709},
		Verdict: "ok"}, {Name: "K-102", Volts: []float64{3.71, 3.64, 3.71}, Verdict: "suspect"}})
}

func bank(stringsFirst bool) string {
	b := draw.Bank{Title: "Bank", Series: 6, Parallel: 2, StringsFirst: stringsFirst, BMS: []string{"B1a", "B1b"},
		Fuses: []string{"F1a", "F1b"}, PlusVolts: 79.02,
		LinkName: func(p, m int) string { return fmt.Sprintf("L%d", p+1) }}
	for p := range 6 {
		for m := range 2 {
			b.Modules = append(b.Modules, draw.BankModule{Label: fmt.Sprintf("K-%d%d", p, m), Position: p, Mate: m,
				Volts: []float64{float64(p) * 13.17, float64(p)*13.17 + 6.5, float64(p+1) * 13.17},
				Sense: []string{fmt.Sprint(2 * p), fmt.Sprint(2*p + 1), ""}})
		}
	}
	return b.SVG()
}

// onBars is a bank that stands: what nobody read has no volts, and what is not known is not drawn.
func onBars() string {
	b := draw.Bank{Title: "As it stands", Series: 2, Parallel: 2, StringsFirst: true, Bars: true, PartAfter: 1,
		LinkName: func(p, m int) string { return fmt.Sprintf("L%c%d", 'a'+m, p+1) }}
	for p := range 2 {
		for m := range 2 {
			x := draw.BankModule{Label: fmt.Sprintf("%c%d", 'a'+m, p+1), Position: p, Mate: m, Inside: "7 or 8 groups"}
			if m == 0 {
				x.Volts = []float64{float64(p) * 26.6, float64(p+1) * 26.6}
			}
			b.Modules = append(b.Modules, x)
		}
	}
	return b.SVG()
}

func log(t testing.TB) string {
	rng := rand.New(rand.NewPCG(1, 1))
	m := virtual.New(rng, "A", virtual.Spec{Chemistry: chem.NMC, Series: 3, RatedAh: 46, SoH: 0.85,
		CapacitySpread: 0.01, ResistanceOhms: 0.0016})
	m.SetSoC(1)
	samples := m.Discharge(virtual.Test{Amps: 14, FloorVolts: 3, RestBefore: 1200, RestAfter: 1200, EverySecond: 30,
		AmbientC: 22})
	l, err := logfile.Parse(virtual.WriteLog(rng, virtual.DropBetween(samples, 4000, 5000), virtual.PlainSeconds,
		time.Time{}))
	if err != nil {
		t.Fatal(err)
	}
	r, err := trace.Analyse(l, trace.Options{Chemistry: chem.NMC, RatedAh: 46})
	if err != nil {
		t.Fatal(err)
	}
	thin := logview.Thinned(l, 60)
	thin.Segments, thin.Gaps, thin.FloorV = r.Segments, r.Gaps, 3
	return draw.Trace("Log", thin, 3, *r.LimitingGroup)
}

// theFace has one of each: post, stud, tab, and a connector in two rows with its key.
func theFace(quarters int, flip bool) face.Face {
	f := face.Face{Points: []face.Point{{Name: "A-", Kind: face.Post, X: 8, Y: 30}, {Name: "A+", Kind: face.Tab, X: 92,
		Y: 30}, {Name: "M", Kind: face.Stud, X: 50, Y: 20}}, Connectors: []face.Connector{{Name: "connector X",
		Pins: face.Pins("X", 7), Rows: 2, Order: face.ByColumn, Key: face.KeyLast, X: 50, Y: 70}}}
	if flip {
		f = f.Flipped()
	}
	return f.Turned(quarters)
}

func curve() string {
	return draw.Curve("Rest curve", []draw.CurveLine{{Name: "typical NMC", SoCPct: []float64{0, 50, 100},
		Volts: []float64{3.2, 3.71, 4.19}}, {Name: "own", SoCPct: []float64{0, 50, 100},
		Volts: []float64{3.19, 3.69, 4.18}, Own: true}})
}

// Turning and flipping moves the points and keeps every one, with its name and its mark.
func TestFaceKeepsItsPoints(t *testing.T) {
	marks := draw.FaceMarks{Negative: []string{"A-", "X1"}, Positive: []string{"X3"}}
	for q := range 4 {
		for _, flip := range []bool{false, true} {
			s := draw.Face("f", theFace(q, flip), marks)
			if n := strings.Count(s, "data-point="); n != 10 {
				t.Errorf("turned %d, flipped %v: %d points", q, flip, n)
			}
			if strings.Count(s, ">−</text>") != 2 || strings.Count(s, ">+</text>") != 1 {
				t.Errorf("turned %d, flipped %v: the marks are not all there", q, flip)
			}
		}
	}
}

func pictures(t testing.TB) map[string]string {
	return map[string]string{"face": draw.Face("Face", theFace(0, false), draw.FaceMarks{Red: "A+", Black: "X2"}),
		"face-turned": draw.Face("Face", theFace(1, true), draw.FaceMarks{}), "curve": curve(),
		"connector": draw.Connector("Connector", theFace(0, false).Connectors[0], []draw.ConnectorPin{{Name: "X1",
			Node: "0", Used: true}, {Name: "X2", Node: "0"}, {Name: "X3", Node: "–", Dead: true}, {Name: "X4",
			Node: "2", Used: true}, {Name: "X5", Node: "3", Used: true}, {Name: "X6", Node: "4", Used: true},
			{Name: "X7", Node: "5", Used: true}}, true), "ladder": ladder().SVG(), "strip": strip(draw.Strip),
		"strip-narrow":  strip(draw.NarrowStrip),
		"bank-parallel": bank(false), "bank-strings": bank(true), "bank-on-bars": onBars(), "trace": log(t),
		"plan": plan(t, func(*floor.Drawing) {}), "plan-wrong": plan(t, wrong)}
}

// plan is a bank of four modules to scale, after a change.
func plan(t testing.TB, change func(d *floor.Drawing)) string {
	t.Helper()
	u, n, chains := floortest.Designed(1, 4, 1)
	d := floor.FromNetlist(n, u, chains)
	change(&d)
	s, err := floor.Judge(d, u)
	if err != nil {
		t.Fatal(err)
	}
	return draw.Floor{Title: "A plan", State: s, Units: u, Live: true}.SVG()
}

// wrong is a plan with a shelf, one piece on another, a layer above, and a second outlet without a fuse.
func wrong(d *floor.Drawing) {
	d.Supports = []floor.Support{{ID: "shelf 1", XMM: 0, YMM: -20, WMM: 1200, DMM: 500, BearsKg: 40}}
	d.Pieces[1].Place = d.Pieces[0].Place
	d.Pieces[2].Place.Layer = 1
	d.Pieces[2].Place.Flip = true
	d.Pieces = append(d.Pieces, floor.Piece{ID: "OUT2", Kind: floor.Outlet, Place: floor.Place{XMM: 400, YMM: 600}},
		floor.Piece{ID: "E1", Kind: floor.Earth, Place: floor.Place{XMM: 900, YMM: 600}})
	d.Joints = append(d.Joints, netlist.Conductor{ID: "C8", Kind: netlist.Cable, From: d.Pieces[3].ID + ".P",
		To: "OUT2+"}, netlist.Conductor{ID: "C9", Kind: netlist.Cable, From: d.Pieces[0].ID + ".N", To: "OUT2-"},
		netlist.Conductor{ID: "C10", Kind: netlist.Cable, From: d.Pieces[0].ID + ".N", To: "E1"})
}

func TestGolden(t *testing.T) {
	for name, got := range pictures(t) {
		file := filepath.Join("testdata", name+".svg")
		if *update {
			if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		if got != string(want) {
			t.Errorf("%s differs from its golden file; look at it, then run with -update", name)
		}
	}
}

// Every picture must be well-formed, have a name for screen readers, and no style that the content
// security policy would refuse.
func TestWellFormedAndNamed(t *testing.T) {
	for name, got := range pictures(t) {
		wellFormed(t, name, got)
	}
}

func wellFormed(t *testing.T, name, got string) {
	t.Helper()
	d := xml.NewDecoder(strings.NewReader(got))
	for {
		tok, err := d.Token()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if s, ok := tok.(xml.StartElement); ok {
			for _, a := range s.Attr {
				if a.Name.Local == "style" || strings.HasPrefix(a.Name.Local, "on") {
					t.Errorf("%s: attribute %s", name, a.Name.Local)
				}
			}
		}
	}
	if !strings.Contains(got, `role="img" aria-label="`) {
		t.Errorf("%s has no name", name)
	}
}

func TestTextIsEscaped(t *testing.T) {
	l := ladder()
	l.Title, l.Rungs[1].Points = `<script>"`, []string{`<b>&`}
	if s := l.SVG(); strings.Contains(s, "<script>") || strings.Contains(s, "<b>") {
		t.Error("text from outside became markup")
	}
}

func TestEveryStateHasItsOwnShape(t *testing.T) {
	seen := map[string]string{}
	for _, s := range []string{"ok", "borderline", "balance", "unknown", "watch", "suspect", "leaking", "reread",
		"over", "quarantine"} {
		d := draw.Glyph(s)
		if other, ok := seen[d]; ok {
			t.Errorf("%s and %s have one shape", s, other)
		}
		seen[d] = s
	}
}

func ExampleGlyph() {
	fmt.Println(draw.Glyph("ok"))
	// Output: M3 8.5 6.5 12 13 4.5
}

func BenchmarkLadder(b *testing.B) {
	l := ladder()
	for b.Loop() {
		l.SVG()
	}
}

// What was tested fits its sticker, whatever the number and the conditions.
func TestTestLabels(t *testing.T) {
	for _, l := range []draw.TestLabel{{Number: "K-001", Type: "TUG-4", Ah: "181.4 Ah", SoH: "89.8 %", Class: "A",
		Date: "2026-11-27", Conditions: "20 A, 22 °C, to 10.00 V, typed by hand"}, {Number: "a number as long " +
		"as may be typed", Type: "T"}, {Number: "K-2", Ah: "at least 12.0 Ah", Conditions: "<b>"}} {
		l.Code = "http://127.0.0.1:8460/m/K-001"
		s, err := l.SVG()
		if err != nil {
			t.Fatal(err)
		}
		wellFormed(t, l.Number, s)
		if l.Ah == "" && !strings.Contains(s, "not tested") || l.Ah != "" && !strings.Contains(s, l.Ah) {
			t.Errorf("%s", s)
		}
	}
}

func TestLabelHoldsItsCodeAndFits(t *testing.T) {
	a, err := draw.Label{Number: "K-001", Type: "TUG-4", Part: "cover", Code: "http://127.0.0.1:8460/m/K-001"}.SVG()
	if err != nil || !strings.Contains(a, "K-001") || !strings.Contains(a, "cover") {
		t.Fatal(err)
	}
	b, err := draw.Label{Number: "K-001", Type: "TUG-4", Part: "cover", Code: "http://127.0.0.1:8460/m/K-002"}.SVG()
	if err != nil || a == b {
		t.Error("another address gave the same code")
	}
	// Every code has three finder squares: 7 dark units at the start of the first row.
	if !strings.Contains(a, `d="M0 0.5h7m`) {
		t.Error("the code does not begin with a finder")
	}
	if _, err := (draw.Label{Number: "X", Code: strings.Repeat("x", 4000)}).SVG(); err == nil {
		t.Error("an address too long for a code was encoded")
	}
}

func TestDriftNamesTheFallingGroup(t *testing.T) {
	day := func(d int) time.Time { return time.Date(2026, 11, d, 9, 0, 0, 0, time.UTC) }
	d := draw.Drift{Title: "Offsets", Points: []draw.DriftPoint{
		{At: day(1), Offsets: [][2]float64{{-0.2, 0.2}, {-0.2, 0.2}, {-0.3, 0.1}}},
		{At: day(9), Offsets: [][2]float64{{-0.2, 0.2}, {-4.2, -3.8}, {-0.3, 0.1}}},
	}}
	if s := d.SVG(); !strings.Contains(s, ">group 2</text>") || !strings.Contains(s, "dr-worst") ||
		strings.Contains(s, ">group 1</text>") {
		t.Error(s)
	}
}

func TestPackShowsItsLiftsInOrder(t *testing.T) {
	volts := []float64{25.9, 25.9, 25.9, 25.9}
	plan, err := pack.Split(pack.Pack{Volts: volts, DisconnectAfter: 2})
	if err != nil {
		t.Fatal(err)
	}
	s := draw.Pack("Pack", volts, plan, map[int]bool{2: true})
	if !strings.Contains(s, "1 bridges to lift") || !strings.Contains(s, "disconnect") ||
		strings.Count(s, `class="dr-ok"`) != 1 {
		t.Error(s)
	}
}

// From the wire side the first pin stands where the last one stands from the mating side.
func TestConnectorIsMirroredFromTheWireSide(t *testing.T) {
	pins := []draw.ConnectorPin{{Name: "X1", Node: "0", Used: true}, {Name: "X2", Node: "1", Used: true},
		{Name: "X3", Node: "–", Dead: true}}
	at := func(s, name string) string {
		i := strings.Index(s, ">"+name+"<")
		j := strings.LastIndex(s[:i], ` x="`)
		return s[j+4 : j+4+strings.IndexByte(s[j+4:], '"')]
	}
	con := face.Connector{Pins: []string{"X1", "X2", "X3"}, Rows: 1, Order: face.ByRow, Key: face.KeyFirst}
	mating, wire := draw.Connector("c", con, pins, false), draw.Connector("c", con, pins, true)
	if at(mating, "X1") != at(wire, "X3") || at(mating, "X3") != at(wire, "X1") || at(mating, "X2") != at(wire, "X2") {
		t.Errorf("mating X1 %s, X3 %s; wire X1 %s, X3 %s", at(mating, "X1"), at(mating, "X3"), at(wire, "X1"),
			at(wire, "X3"))
	}
}

// A layout of which no volts are known shows none: a zero there would be a reading that nobody took.
func TestALadderWithoutVoltsShowsNone(t *testing.T) {
	l := draw.Ladder{Title: "Layout", Rungs: []draw.Rung{{Points: []string{"A-"}}, {Hidden: true},
		{Points: []string{"A+"}}}, Blocks: []draw.Block{{Label: "group 1"}, {Label: "group 2"}}}
	out := l.SVG()
	for _, zero := range []string{"0.00", "0.000"} {
		if strings.Contains(out, zero+" V") {
			t.Errorf("the drawing says %s V", zero)
		}
	}
	if !strings.Contains(out, "no volts known") || !strings.Contains(out, "group 2") {
		t.Errorf("without volts it says: %s", out)
	}
	l.Blocks[0].Volts, l.Rungs[2].Volts = 3.7, 3.7
	if out = l.SVG(); !strings.Contains(out, "3.700 V") || !strings.Contains(out, "0.000 V") {
		t.Error("a group that was read at 0 V is not shown beside one at 3.7 V")
	}
}

// On a phone the overview holds what stands out, and says how many do not; where nothing does there is none.
func TestAStripKeepsTheOddOneInSight(t *testing.T) {
	good := draw.StripModule{Name: "K-101", Volts: []float64{3.71, 3.711, 3.709}, Verdict: "ok"}
	odd := draw.StripModule{Name: "K-102", Volts: []float64{3.71, 3.64, 3.71}, Verdict: "suspect"}
	for _, c := range []struct {
		name     string
		mods     []draw.StripModule
		overview bool
		says     string
	}{
		{"all are well", []draw.StripModule{good, good}, false, ""},
		{"one of two", []draw.StripModule{good, odd}, true, "1 other: "},
		{"one of three", []draw.StripModule{good, odd, good}, true, "2 others: "},
		{"all of them", []draw.StripModule{odd}, true, `class="drawing strip overview all"`},
	} {
		t.Run(c.name, func(t *testing.T) {
			svg := draw.Strips("Newest survey", c.mods)
			over, whole, two := strings.Cut(svg, "</svg>\n<svg")
			if two != c.overview {
				t.Fatalf("an overview: %v", two)
			}
			if !c.overview {
				return
			}
			if !strings.Contains(over, "K-102") || strings.Contains(over, "K-101") || !strings.Contains(over, c.says) {
				t.Error(over)
			}
			for _, m := range c.mods {
				if !strings.Contains(whole, m.Name) {
					t.Errorf("%s is not in the whole", m.Name)
				}
			}
		})
	}
}
