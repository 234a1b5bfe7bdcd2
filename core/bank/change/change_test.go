package change_test

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"pandrel/core/bank/change"
	"pandrel/core/bank/floor"
	"pandrel/core/bank/floor/floortest"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// hand does one thing after the other to a drawing, as somebody at the bench would.
type hand struct {
	t *testing.T
	u floor.Units
	d floor.Drawing
}

func (h *hand) do(op change.Op) *hand {
	h.t.Helper()
	d, _, err := change.Make(h.d, h.u, op)
	if err != nil {
		h.t.Fatalf("%+v: %v", op, err)
	}
	h.d = d
	return h
}

func (h *hand) add(kind floor.Kind, id string) *hand {
	h.t.Helper()
	return h.do(change.Op{Do: change.Add, Kind: string(kind), ID: id})
}

func (h *hand) join(kind netlist.Kind, a, b string) *hand {
	h.t.Helper()
	return h.do(change.Op{Do: change.Join, Kind: string(kind), A: a, B: b})
}

func (h *hand) state() floor.State {
	h.t.Helper()
	s, err := floor.Judge(h.d, h.u)
	if err != nil {
		h.t.Fatal(err)
	}
	return s
}

// bank is four modules in a row with a BMS, a fuse, and an outlet.
func bank(t *testing.T) *hand {
	h := &hand{t: t, u: floortest.Tugs(4)}
	for i := range 4 {
		h.add(floor.Module, fmt.Sprintf("K-%03d", i+1))
	}
	for i := range 3 {
		h.join(netlist.Bar, fmt.Sprintf("K-%03d.P", i+1), fmt.Sprintf("K-%03d.N", i+2))
	}
	h.add(floor.BMS, "").add(floor.Outlet, "")
	h.join(netlist.Cable, "B1:B-", "K-001.N").join(netlist.Fuse, "K-004.P", "OUT1+").
		join(netlist.Cable, "B1:P-", "OUT1-")
	return h
}

func TestADrawingTellsWhatItIs(t *testing.T) {
	h := bank(t)
	s := h.state()
	if s.Tells.Series != 16 || s.Tells.Parallel != 1 || s.Tells.Ah.V() != 200 || s.Tells.FullV.V() != 58.4 {
		t.Errorf("tells %+v: expected 16 groups in series, one in parallel, 200 Ah, 58.4 V full", s.Tells)
	}
	if s.Volts["K-004.P"] != 52.8 || s.Volts["K-002.N"] != 13.2 || s.Volts["B1:B-"] != 0 {
		t.Errorf("volts %v: expected 52.8 V at the top post, 13.2 V at the second minus", s.Volts)
	}
	if len(s.Report.Unmonitored)+len(s.Report.Unprotected)+len(s.Report.Bypasses)+len(s.Report.Shorts) > 0 {
		t.Errorf("marks %+v: expected nothing hidden, unprotected, bypassed or short", s.Marks)
	}
	b := s.Netlist.BMS[0]
	var leads []string
	for _, p := range b.Sense {
		leads = append(leads, *p)
	}
	want := "K-001.C1 K-001.C2 K-001.C3 K-001.C4 K-002.C1 K-002.C2"
	if got := strings.Join(leads, " "); len(leads) != 17 || !strings.HasPrefix(got, want) || leads[16] != "K-004.C5" {
		t.Errorf("leads %s: expected 17 of them, beginning with %s, ending at K-004.C5", got, want)
	}
	if b.BMinus != "K-001.N" || b.PMinus != "OUT1-" {
		t.Errorf("BMS lands at %s and %s: expected the first minus and the outlet's", b.BMinus, b.PMinus)
	}
}

func TestWhatAJointWouldDo(t *testing.T) {
	row := bank(t)
	pair := &hand{t: t, u: floortest.Of(floortest.Tug("A", 3.30), floortest.Tug("B", 3.302), floortest.Tug("C", 3.20))}
	pair.add(floor.Module, "A").add(floor.Module, "B").add(floor.Module, "C").join(netlist.Bar, "A.N", "B.N").
		join(netlist.Bar, "A.N", "C.N")
	loose := &hand{t: t, u: floortest.Tugs(2)}
	loose.add(floor.Module, "K-001 K-002")
	switched := bank(t)
	switched.add(floor.Stud, "").add(floor.Outlet, "").join(netlist.Switch, "OUT1+", "S1").
		join(netlist.Cable, "S1", "OUT2+")
	for _, c := range []struct {
		name  string
		h     *hand
		a, b  string
		level finding.Level
		says  string
		first netlist.Kind // "" for nothing that may be made
		loop  string
		amps  float64 // at least
	}{
		{"a module on itself", row, "K-002.N", "K-002.P", finding.Refuse, "13.20 V", "", "K-002", 10000},
		{"over two modules", row, "K-001.N", "K-002.P", finding.Refuse, "26.40 V", "", "L1", 10000},
		{"backwards", row, "K-002.P", "K-001.N", finding.Refuse, "26.40 V", "", "K-001", 10000},
		{"the whole bank through its fuse and BMS", row, "OUT1+", "OUT1-", finding.Refuse, "52.80 V", "", "F1", 1000},
		{"in parallel, near", pair, "A.P", "B.P", finding.Note, "8 mV", netlist.Bar, "A", 1},
		{"in parallel, far", pair, "A.P", "C.P", finding.Caution, "400 mV", netlist.Bar, "C", 100},
		{"round a fuse", row, "K-004.P", "OUT1+", finding.Refuse, "F1 lies between", "", "F1", 0},
		{"round a switch", switched, "OUT1+", "S1", finding.Caution, "pre-charge", netlist.Precharge, "Q1", 0},
		{"one bar again", row, "K-001.P", "K-002.N", finding.Note, "one point already", netlist.Bar, "L1", 0},
		{"a pin", loose, "K-001.C2", "K-002.N", finding.Refuse, "no current of the bank", "", "", 0},
		{"taps at one level", pair, "A.C3", "B.C3", finding.Note, "4 mV", netlist.Bond, "A", 0},
		{"taps a group apart", pair, "A.C2", "B.C3", finding.Refuse, "short", "", "A", 1000},
	} {
		t.Run(c.name, func(t *testing.T) {
			j, err := change.Between(c.h.d, c.h.u, c.a, c.b)
			if err != nil {
				t.Fatal(err)
			}
			if j.Says.Level != c.level || !strings.Contains(j.Says.Text, c.says) {
				t.Errorf("%v %q: expected %v with %q", j.Says.Level, j.Says.Text, c.level, c.says)
			}
			if c.first == "" && len(j.Kinds) > 0 || c.first != "" && (len(j.Kinds) == 0 || j.Kinds[0] != c.first) {
				t.Errorf("offers %v: expected %q first", j.Kinds, c.first)
			}
			if c.loop != "" && !slices.Contains(j.Loop, c.loop) {
				t.Errorf("loop %v: expected %s in it", j.Loop, c.loop)
			}
			if c.amps > 0 && j.Amps.High() < c.amps {
				t.Errorf("amps %v: expected at least %.0f", j.Amps, c.amps)
			}
			if c.first == "" { // what is refused is not made, whatever kind is asked for
				for _, k := range netlist.Kinds {
					if _, _, err := change.Make(c.h.d, c.h.u, change.Op{Do: change.Join, Kind: string(k), A: c.a,
						B: c.b}); err == nil {
						t.Errorf("a %s was made", k)
					}
				}
			}
			swapped, err := change.Between(c.h.d, c.h.u, c.b, c.a)
			if err != nil || swapped.Says.Level != j.Says.Level || len(swapped.Kinds) != len(j.Kinds) ||
				math.Abs(math.Abs(swapped.Volts.V())-math.Abs(j.Volts.V())) > 1e-9 {
				t.Errorf("the other way round: %v %v, expected the same", swapped.Says.Level, swapped.Kinds)
			}
		})
	}
}

// A drawing's verdict does not depend on where things lie, how they are turned, or in which order they were drawn.
func TestPlaceAndOrderChangeNoVerdict(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	h := bank(t)
	h.add(floor.Stud, "").join(netlist.Cable, "OUT1+", "S1") // something that is wrong
	h.d.Joints = slices.DeleteFunc(h.d.Joints, func(c netlist.Conductor) bool { return c.ID == "F1" })
	h.join(netlist.Cable, "K-004.P", "OUT1+")
	verdict := func(s floor.State) string {
		var out []string
		for _, f := range s.Report.Findings {
			out = append(out, f.Code+" "+f.Level.String())
		}
		slices.Sort(out)
		return fmt.Sprint(out, s.Tells.Series, s.Tells.Parallel, s.Tells.Ah, s.Tells.FullV)
	}
	want := verdict(h.state())
	if !strings.Contains(want, "stop") {
		t.Fatalf("%s: expected a bank with something wrong", want)
	}
	for range 200 {
		d := h.d.Clone()
		for i := range d.Pieces {
			p := &d.Pieces[i].Place
			p.XMM, p.YMM, p.Turn, p.Flip = r.Float64()*5000, r.Float64()*5000, r.IntN(4), r.IntN(2) == 0
		}
		for i := range d.Joints { // lengths are of the plan: they may make a fuse lie far from the cells
			d.Joints[i].LengthMM = finding.Of(100)
		}
		r.Shuffle(len(d.Pieces), func(i, j int) { d.Pieces[i], d.Pieces[j] = d.Pieces[j], d.Pieces[i] })
		r.Shuffle(len(d.Joints), func(i, j int) { d.Joints[i], d.Joints[j] = d.Joints[j], d.Joints[i] })
		s, err := floor.Judge(d, h.u)
		if err != nil {
			t.Fatal(err)
		}
		if got := verdict(s); got != want {
			t.Fatalf("%s: expected %s", got, want)
		}
	}
}

// A loop that closes only once a BMS is on, or through earth, is a short too: nothing on the drawing joins the two
// points yet, and it is refused all the same.
func TestShortsThatWait(t *testing.T) {
	h := &hand{t: t, u: floortest.Tugs(2)}
	h.add(floor.Module, "K-001 K-002").join(netlist.Bar, "K-001.P", "K-002.N").add(floor.BMS, "").
		join(netlist.Cable, "B1:B-", "K-001.N").add(floor.Earth, "").add(floor.Earth, "").
		join(netlist.Cable, "E1", "K-001.N")
	for _, c := range []struct{ a, b, through string }{{"B1:P-", "K-002.P", "B1"}, {"B1:P-", "K-001.P", "B1"},
		{"E2", "K-002.P", ""}} {
		j, err := change.Between(h.d, h.u, c.a, c.b)
		if err != nil {
			t.Fatal(err)
		}
		if j.Says.Level != finding.Refuse || len(j.Kinds) > 0 || c.through != "" && !slices.Contains(j.Loop,
			c.through) {
			t.Errorf("%s to %s: %v %q by %v, expected it refused", c.a, c.b, j.Says.Level, j.Says.Text, j.Loop)
		}
		for _, k := range netlist.Kinds {
			if _, _, err := change.Make(h.d, h.u, change.Op{Do: change.Join, Kind: string(k), A: c.a,
				B: c.b}); err == nil {
				t.Errorf("%s to %s: a %s was made", c.a, c.b, k)
			}
		}
	}
	// No short, and refused all the same: the switch would open nothing.
	for _, b := range []string{"K-001.N", "B1:B-"} {
		if j, err := change.Between(h.d, h.u, "B1:P-", b); err != nil || j.Says.Code != "goes-round-device" ||
			j.Says.Level != finding.Refuse {
			t.Errorf("%v %v: expected the BMS not to be bridged", j.Says, err)
		}
	}
}

// What is refused says by how much.
func TestWhatIsRefusedIsHeld(t *testing.T) {
	row := bank(t)
	pair := &hand{t: t, u: floortest.Of(floortest.Tug("A", 3.30), floortest.Tug("C", 3.20))}
	pair.add(floor.Module, "A").add(floor.Module, "C").join(netlist.Bar, "A.N", "C.N")
	loose := &hand{t: t, u: floortest.Tugs(2)}
	loose.add(floor.Module, "K-001 K-002")
	says := func(h *hand, a, b string) []finding.Finding {
		t.Helper()
		j, err := change.Between(h.d, h.u, a, b)
		if err != nil {
			t.Fatal(err)
		}
		return []finding.Finding{j.Says}
	}
	findingtest.Holds(t, says(row, "K-001.N", "K-001.P"), "joint-closes-loop", finding.Refuse, 13.2, 0, "V")
	findingtest.Holds(t, says(loose, "K-001.C1", "K-002.P"), "pin-carries-no-power", finding.Refuse, 0, 0, "A")
	findingtest.Holds(t, says(row, "K-004.P", "OUT1+"), "goes-round-device", finding.Refuse, 0, 0, "V")
	findingtest.Holds(t, says(pair, "A.P", "C.P"), "joins-in-parallel", finding.Caution, 400, 50, "mV")
}

func TestChangesSayWhy(t *testing.T) {
	h := bank(t)
	for _, c := range []struct {
		name string
		op   change.Op
		want string
	}{
		{"a module that is not on record", change.Op{Do: change.Add, Kind: "module", ID: "K-999"}, "on record"},
		{"a module twice", change.Op{Do: change.Add, Kind: "module", ID: "K-001"}, "already"},
		{"a kind that there is not", change.Op{Do: change.Add, Kind: "dynamo"}, "dynamo"},
		{"a piece that there is not", change.Op{Do: change.Turn, ID: "B7"}, "B7"},
		{"nothing that is known", change.Op{Do: "bend", ID: "B1"}, "bend"},
		{"too far", change.Op{Do: change.Move, ID: "B1", X: 1e9}, "50 m"},
		{"no number", change.Op{Do: change.Move, ID: "B1", X: math.NaN()}, "50 m"},
		{"below the floor", change.Op{Do: change.Lift, ID: "B1", Layers: -1}, "layer"},
		{"a joint that there is not", change.Op{Do: change.Rate, ID: "X1"}, "X1"},
		{"a rating below nothing", change.Op{Do: change.Rate, ID: "F1", Rated: netlist.Conductor{
			RatingA: finding.Of(-1)}}, "above 0"},
		{"a fuse as what a BMS drives", change.Op{Do: change.Set, ID: "B1", Drives: "F1"}, "contactor"},
		{"a shelf of nothing", change.Op{Do: change.Shelf}, "50 to"},
		{"an end that there is not", change.Op{Do: change.Join, Kind: "bar", A: "K-001.Q", B: "K-002.N"}, "not on the"},
		{"both ends one", change.Op{Do: change.Join, Kind: "bar", A: "K-001.N", B: "K-001.N"}, "another point"},
	} {
		before := fmt.Sprint(h.d)
		if _, _, err := change.Make(h.d, h.u, c.op); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v, expected a word of %q", c.name, err, c.want)
		}
		if fmt.Sprint(h.d) != before {
			t.Errorf("%s: the drawing was changed", c.name)
		}
	}
}

// Dragging near another piece lets them stand side by side; what is taken off takes its joints with it.
func TestPlaces(t *testing.T) {
	h := &hand{t: t, u: floortest.Tugs(2)}
	h.add(floor.Module, "K-001").add(floor.Module, "K-002")
	h.do(change.Op{Do: change.Move, ID: "K-002", X: 377, Y: 6})
	if p := h.d.Piece("K-002").Place; p.XMM != 370 || p.YMM != 0 {
		t.Errorf("%+v: expected it beside the first, 370 mm across and in line", p)
	}
	h.join(netlist.Bar, "K-001.P", "K-002.N")
	h.do(change.Op{Do: change.Turn, ID: "K-002"}).do(change.Op{Do: change.Turn, ID: "K-002"})
	h.do(change.Op{Do: change.Turn, ID: "K-002"}).do(change.Op{Do: change.Turn, ID: "K-002"})
	if p := h.d.Piece("K-002").Place; p.Turn != 0 || math.Abs(p.XMM-370) > 5 || math.Abs(p.YMM) > 5 {
		t.Errorf("%+v: expected four quarters to end where they began", p)
	}
	h.do(change.Op{Do: change.Take, ID: "K-002"})
	if len(h.d.Joints) != 0 || len(h.d.Pieces) != 1 {
		t.Errorf("%+v: expected its joint gone with it", h.d)
	}
}

// A BMS with a pole of its own for chargers opens both, and boards along a string each have their own leads on their
// own side of what parts them.
func TestBoardsAndChargePole(t *testing.T) {
	h := &hand{t: t, u: floortest.Tugs(4)}
	h.add(floor.Module, "K-001 K-002 K-003 K-004")
	h.join(netlist.Bar, "K-001.P", "K-002.N").join(netlist.Plug, "K-002.P", "K-003.N").
		join(netlist.Bar, "K-003.P", "K-004.N")
	h.add(floor.BMS, "").add(floor.Board, "").add(floor.Outlet, "").add(floor.Charger, "")
	h.join(netlist.Cable, "B1:B-", "K-001.N").join(netlist.Cable, "B1:P-", "OUT1-").
		join(netlist.Cable, "M1:B-", "K-003.N").join(netlist.Fuse, "K-004.P", "OUT1+")
	h.do(change.Op{Do: change.Set, ID: "B1", Kind: "opens", Charge: true})
	h.join(netlist.Cable, "B1:C-", "CH1-").join(netlist.Fuse, "K-004.P", "CH1+")
	s := h.state()
	leads := func(k int) (out []string) {
		for _, p := range s.Netlist.BMS[k].Sense {
			out = append(out, *p)
		}
		return out
	}
	low, high := leads(0), leads(1)
	if len(low) != 9 || low[8] != "K-002.C5" || len(high) != 9 || high[0] != "K-003.C1" || high[8] != "K-004.C5" {
		t.Errorf("boards %v and %v: expected nine leads each, parted between K-002 and K-003", low, high)
	}
	if s.Netlist.BMS[0].CMinus != "CH1-" || len(s.Report.Bypasses) > 0 {
		t.Errorf("charge pole at %q, bypasses %v: expected it at the charger, and nothing round the BMS",
			s.Netlist.BMS[0].CMinus, s.Report.Bypasses)
	}
	if len(s.Report.Unmonitored) > 0 {
		t.Errorf("%v hidden: expected none", s.Report.Unmonitored)
	}
	if _, _, err := change.Make(h.d, h.u, change.Op{Do: change.Set, ID: "B1", Kind: "opens"}); err == nil {
		t.Error("the charge pole went with a charger on it")
	}
	h.do(change.Op{Do: change.Take, ID: h.d.At("B1:C-")[0].ID}).join(netlist.Cable, "CH1-", "K-001.N")
	if s := h.state(); len(s.Report.Bypasses) == 0 {
		t.Error("a charger straight at the cells: expected it to be said to go round the BMS")
	}
}

// One joint and the rest along the row: from nothing to a string of six in one step.
func TestTheRestAlongTheRow(t *testing.T) {
	h := &hand{t: t, u: floortest.Tugs(6)}
	h.add(floor.Module, "K-001 K-002 K-003 K-004 K-005 K-006")
	j, err := change.Between(h.d, h.u, "K-003.P", "K-004.N")
	if err != nil || len(j.Rest) != 4 || j.RestV.V() != 79.2 {
		t.Fatalf("%v, %v: expected four more along the row, 79.2 V from end to end", j.Rest, j.RestV)
	}
	h.do(change.Op{Do: change.Join, Kind: "bar", A: "K-003.P", B: "K-004.N", Rest: true})
	if s := h.state(); s.Tells.Series != 24 || s.Tells.Parallel != 1 || len(h.d.Joints) != 5 {
		t.Errorf("%+v: expected 24 groups in series by five bars", s.Tells)
	}
}

func ExampleBetween() {
	u := floortest.Tugs(2)
	d, _, _ := change.Make(floor.Drawing{}, u, change.Op{Do: change.Add, Kind: "module", ID: "K-001 K-002"})
	j, _ := change.Between(d, u, "K-001.N", "K-001.P")
	fmt.Println(j.Says.Text)
	j, _ = change.Between(d, u, "K-001.P", "K-002.N")
	fmt.Println(j.Says.Text, j.Kinds[0])
	// Output:
	// A short: it would close a loop with 13.20 V in it, 4 groups, through K-001: up to 17000 A.
	// Nothing flows: no loop closes. It makes one part of 8 groups, 26.40 V from end to end. bar
}

func BenchmarkBetween(b *testing.B) {
	u, net, chains := floortest.Designed(10, 10, 1)
	d := floor.FromNetlist(net, u, chains)
	for b.Loop() {
		if _, err := change.Between(d, u, "K-9019.N", "K-8019.N"); err != nil {
			b.Fatal(err)
		}
	}
}

// A photograph lies under the drawing and keeps its shape; pictures are pinned to what they show, and taken off alone.
// Neither changes a verdict.
func TestPicturesArePinned(t *testing.T) {
	u, net, chains := floortest.Designed(1, 2, 1)
	d := floor.FromNetlist(net, u, chains)
	before, err := floor.Judge(d, u)
	if err != nil {
		t.Fatal(err)
	}
	make := func(op change.Op) {
		t.Helper()
		next, said, err := change.Make(d, u, op)
		if err != nil || said == "" {
			t.Fatalf("%+v: %v", op, err)
		}
		d = next
	}
	make(change.Op{Do: change.Under, Picture: 7, Tall: 0.5, X: -50, Y: 20, Size: floor.Case{WMM: 800}})
	make(change.Op{Do: change.Under, X: 0, Y: 0, Size: floor.Case{WMM: 1000}})
	if p := d.Photo; p == nil || p.Picture != 7 || p.HMM != 500 || p.XMM != 0 {
		t.Errorf("%+v: expected the photograph scaled in its shape", d.Photo)
	}
	make(change.Op{Do: change.Pin, ID: "K-9029", Picture: 8, Note: "a burnt lug"})
	make(change.Op{Do: change.Pin, ID: "K-9029", Picture: 9})
	if len(d.Pins) != 2 || d.Pins[0].XMM == d.Pins[1].XMM || d.Pins[0].Note != "a burnt lug" {
		t.Errorf("%+v: expected two pictures beside each other", d.Pins)
	}
	after, err := floor.Judge(d, u)
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(before.Findings, after.Findings) || !reflect.DeepEqual(before.Volts, after.Volts) {
		t.Error("pictures changed a verdict")
	}
	data, err := floor.Write(d, u)
	if err != nil || bytes.Contains(data, []byte("picture")) || bytes.Contains(data, []byte("photo")) {
		t.Errorf("a file carries numbers of pictures: %v", err)
	}
	make(change.Op{Do: change.Take, ID: "picture 1"})
	make(change.Op{Do: change.Take, ID: "photo"})
	if len(d.Pins) != 1 || d.Pins[0].ID != "picture 2" || d.Photo != nil {
		t.Errorf("%+v: expected the second picture alone", d.Pins)
	}
	for name, op := range map[string]change.Op{"no picture": {Do: change.Pin, ID: "K-9029"},
		"at nothing":           {Do: change.Pin, ID: "K-1", Picture: 3},
		"no width":             {Do: change.Under, Picture: 3, Tall: 1},
		"nothing to scale":     {Do: change.Under, Size: floor.Case{WMM: 500}},
		"a strip":              {Do: change.Under, Picture: 3, Tall: 40, Size: floor.Case{WMM: 500}},
		"far away":             {Do: change.Under, Picture: 3, Tall: 1, X: 1e9, Size: floor.Case{WMM: 500}},
		"a note without end":   {Do: change.Pin, ID: "K-9029", Picture: 3, Note: strings.Repeat("x", 201)},
		"a width of no number": {Do: change.Under, Picture: 3, Tall: 1, Size: floor.Case{WMM: math.NaN()}}} {
		if _, _, err := change.Make(d, u, op); err == nil {
			t.Errorf("%s: expected to be refused", name)
		}
	}
}
