package floor_test

import (
	"fmt"
	"math"
	"reflect"
	"strings"
	"testing"

	"pandrel/core/bank/floor"
	"pandrel/core/bank/floor/floortest"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/base/known"
)

func TestADesignDrawsItselfAndReadsBack(t *testing.T) {
	for _, c := range [][3]int{{1, 2, 1}, {1, 4, 1}, {1, 13, 1}, {1, 4, 3}, {2, 4, 1}, {3, 2, 1}, {2, 3, 2}} {
		t.Run(fmt.Sprint(c), func(t *testing.T) {
			u, n, chains := floortest.Designed(c[0], c[1], c[2])
			want, err := wiring.CheckNetlist(n)
			if err != nil {
				t.Fatal(err)
			}
			d := floor.FromNetlist(n, u, chains)
			s, err := floor.Judge(d, u)
			if err != nil {
				t.Fatal(err)
			}
			s.Netlist.DesignA = n.DesignA
			got, err := wiring.CheckNetlist(s.Netlist)
			if err != nil {
				t.Fatal(err)
			}
			w, g := fmt.Sprintf("%+v", want), fmt.Sprintf("%+v", got)
			if !reflect.DeepEqual(want.SenseTable, got.SenseTable) {
				t.Errorf("sense table\n%v\nexpected\n%v", got.SenseTable, want.SenseTable)
			}
			if !reflect.DeepEqual(want.Findings, got.Findings) || want.Series != got.Series ||
				want.Parallel != got.Parallel || !reflect.DeepEqual(want.BuildOrder, got.BuildOrder) {
				t.Errorf("read back\n%s\nexpected\n%s", g, w)
			}
			if back := d.Chains(u); !reflect.DeepEqual(back, chains) {
				t.Errorf("chains %v: expected %v", back, chains)
			}
			for _, f := range s.Findings {
				if f.Code == "pieces-overlap" {
					t.Errorf("%s", f.Text)
				}
			}
		})
	}
}

// In a first layout unlike poles lie side by side: no link is longer than one to the module beside it needs.
func TestAFirstLayoutHasShortLinks(t *testing.T) {
	for _, n := range []int{2, 3, 4, 6, 7, 12, 16} {
		u, net, chains := floortest.Designed(1, n, 1)
		d := floor.FromNetlist(net, u, chains)
		spots := d.AllSpots(u)
		for _, c := range d.Joints {
			if c.Kind != netlist.Bar {
				continue
			}
			a, b := spots[c.From], spots[c.To]
			if far := math.Hypot(a.X-b.X, a.Y-b.Y); far > 260 {
				t.Errorf("%d modules: %s is %.0f mm long, expected at most 260", n, c.ID, far)
			}
		}
	}
}

// Where pieces lie is judged by itself: on one another, on what they cover, beside their shelf, too heavy for it.
func TestWherePiecesLieIsHeld(t *testing.T) {
	u, net, chains := floortest.Designed(1, 4, 1)
	judged := func(change func(d *floor.Drawing)) []finding.Finding {
		d := floor.FromNetlist(net, u, chains)
		change(&d)
		s, err := floor.Judge(d, u)
		if err != nil {
			t.Fatal(err)
		}
		return s.Findings
	}
	none := math.NaN()
	good := judged(func(*floor.Drawing) {})
	for _, code := range []string{"pieces-overlap", "covers-joined-posts", "shelf-overloaded", "beside-its-shelf",
		"weight-not-known", "size-assumed"} {
		findingtest.Lacks(t, good, code)
	}
	onto := func(d *floor.Drawing, layer int) {
		p := d.Piece("K-9029")
		p.Place = d.Piece("K-9019").Place
		p.Place.Layer = layer
	}
	findingtest.Holds(t, judged(func(d *floor.Drawing) { onto(d, 0) }), "pieces-overlap", finding.Stop, none, none, "")
	above := judged(func(d *floor.Drawing) { onto(d, 1) })
	findingtest.Lacks(t, above, "pieces-overlap")
	findingtest.Holds(t, above, "covers-what-comes-last", finding.Stop, 1, 0, "joints") // the BMS's own lead
	second := judged(func(d *floor.Drawing) {
		p := d.Piece("K-9049")
		p.Place = d.Piece("K-9029").Place
		p.Place.Layer = 1
	})
	findingtest.Holds(t, second, "covers-joined-posts", finding.Caution, 2, 0, "posts")
	// Under the last module lies the post that its string's fuse goes on, which goes on last of all.
	findingtest.Holds(t, judged(func(d *floor.Drawing) {
		p := d.Piece("K-9029")
		p.Place = d.Piece("K-9049").Place
		p.Place.Layer = 1
	}), "covers-what-comes-last", finding.Stop, 1, 0, "joints")
	shelf := func(bears float64) func(d *floor.Drawing) {
		return func(d *floor.Drawing) {
			a := d.Area(u)
			d.Supports = []floor.Support{{ID: "shelf 1", XMM: a.X, YMM: a.Y, WMM: a.W, DMM: a.D, BearsKg: bears}}
		}
	}
	findingtest.Holds(t, judged(shelf(75)), "shelf-overloaded", finding.Stop, 76, 75, "kg") // four of 19 kg
	findingtest.Lacks(t, judged(shelf(76)), "shelf-overloaded")
	findingtest.Lacks(t, judged(shelf(0)), "shelf-overloaded")
	findingtest.Holds(t, judged(func(d *floor.Drawing) {
		shelf(100)(d)
		d.Supports[0].WMM /= 2
	}), "beside-its-shelf", finding.Caution, none, none, "")
	for id, m := range u {
		m.Case = floor.Case{}
		u[id] = m
	}
	open := judged(shelf(75))
	findingtest.Holds(t, open, "size-assumed", finding.Note, 4, 0, "modules")
	findingtest.Holds(t, open, "weight-not-known", finding.Caution, 0, 75, "kg")
}

// What feeds the monitor alone may hang at the cells, behind a fuse of its own; without one it is a stop.
func TestASupplyHasAFuse(t *testing.T) {
	u, net, chains := floortest.Designed(1, 2, 1)
	with := func(kind netlist.Kind, amps *float64) []finding.Finding {
		d := floor.FromNetlist(net, u, chains)
		d.Pieces = append(d.Pieces, floor.Piece{ID: "OUT2", Kind: floor.Outlet, Supply: true})
		d.Joints = append(d.Joints, netlist.Conductor{ID: "Y1", Kind: kind, RatingA: amps, From: "K-9029.P",
			To: "OUT2+"},
			netlist.Conductor{ID: "Y2", Kind: netlist.Cable, From: "K-9019.N", To: "OUT2-"})
		s, err := floor.Judge(d, u)
		if err != nil {
			t.Fatal(err)
		}
		for _, f := range s.Findings {
			if f.Code == "bms-bypassed" || f.Code == "loose-end" {
				t.Errorf("%s", f.Text)
			}
		}
		return s.Findings
	}
	findingtest.Holds(t, with(netlist.Cable, nil), "supply-not-fused", finding.Stop, 0, 1, "devices")
	findingtest.Holds(t, with(netlist.Fuse, finding.Of(5)), "supply-not-fused", finding.Stop, 5, 3, "A")
	findingtest.Holds(t, with(netlist.Fuse, nil), "supply-not-fused", finding.Caution, math.NaN(), 3, "A")
	findingtest.Lacks(t, with(netlist.Fuse, finding.Of(3)), "supply-not-fused")
}

func TestADrawingTravelsAsAFile(t *testing.T) {
	u, net, chains := floortest.Designed(2, 3, 1)
	d := floor.FromNetlist(net, u, chains)
	data, err := floor.Write(d, u)
	if err != nil {
		t.Fatal(err)
	}
	back, units, err := floor.Read(data)
	if err != nil {
		t.Fatal(err)
	}
	was, err := floor.Judge(d, u)
	if err != nil {
		t.Fatal(err)
	}
	now, err := floor.Judge(back, units)
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(was.Report, now.Report) || !reflect.DeepEqual(was.Findings, now.Findings) {
		t.Errorf("read back it is judged otherwise: %v, expected %v", now.Findings, was.Findings)
	}
	if diff := floor.Compare(d, back); len(diff) > 0 {
		t.Errorf("read back it differs: %v", diff)
	}
}

// What is listed is what is to be had: one nut for each post that something is joined to, by its thread, a tenth and at
// least two to spare; a lead for each input.
func TestThePartsList(t *testing.T) {
	u, net, chains := floortest.Designed(1, 4, 2)
	first := net.Modules[0].ID
	m := u[first]
	m.Thread = "M8 stud"
	u[first] = m
	s, err := floor.Judge(floor.FromNetlist(net, u, chains), u)
	if err != nil {
		t.Fatal(err)
	}
	got := map[string][2]int{}
	for _, i := range s.Parts(u) {
		was := got[i.What+" "+i.Detail]
		got[i.What+" "+i.Detail] = [2]int{was[0] + i.Count, i.Spare}
	}
	for what, want := range map[string][2]int{
		"nuts or screws with washers M8 stud":                                          {2, 2},
		"nuts or screws with washers thread not written down: measure one of the type": {14, 2},
		"covers for posts one for each that is not in hand":                            {16, 2},
		"rings and inline fuses for sense leads ":                                      {17, 2},
		"bar 100 A":                  {11, 0},
		"bond of middle taps 100 A":  {12, 0},
		"fuse with its holder 100 A": {1, 0},
	} {
		if got[what] != want {
			t.Errorf("%s: %v, expected %v", what, got[what], want)
		}
	}
}

// Two points of one name would be one point of the netlist, and no metal between them: such a file is not read.
func TestTwoPointsOfOneNameAreRefused(t *testing.T) {
	u, net, chains := floortest.Designed(1, 2, 1)
	for name, spoil := range map[string]func(d *floor.Drawing){
		"a stud called as a post": func(d *floor.Drawing) {
			d.Pieces = append(d.Pieces, floor.Piece{ID: "K-9019.P", Kind: floor.Stud})
		},
		"a stud called as an outlet's pole": func(d *floor.Drawing) {
			d.Pieces = append(d.Pieces, floor.Piece{ID: "OUT+", Kind: floor.Stud})
		},
		"a piece twice":         func(d *floor.Drawing) { d.Pieces = append(d.Pieces, d.Pieces[0]) },
		"a joint to nowhere":    func(d *floor.Drawing) { d.Joints[0].To = "K-9019.Q" },
		"a joint twice":         func(d *floor.Drawing) { d.Joints = append(d.Joints, d.Joints[0]) },
		"a layer in the clouds": func(d *floor.Drawing) { d.Pieces[0].Place.Layer = floor.TopLayer + 1 },
	} {
		d := floor.FromNetlist(net, u, chains)
		spoil(&d)
		data, err := floor.Write(d, u)
		if err != nil {
			t.Fatal(err)
		}
		if _, _, err := floor.Read(data); err == nil {
			t.Errorf("%s: read", name)
		}
	}
}

// What nobody measured is said wherever it is rested on: amp hours of a label, nominal volts, a guessed size.
func TestADrawingSaysWhatItRestsOn(t *testing.T) {
	u, net, chains := floortest.Designed(1, 3, 1)
	judged := func() floor.State {
		s, err := floor.Judge(floor.FromNetlist(net, u, chains), u)
		if err != nil {
			t.Fatal(err)
		}
		return s
	}
	for _, l := range judged().Leads(u) {
		if l.Volts.From() != known.Measured {
			t.Fatalf("%v: expected what was measured", l.Volts)
		}
	}
	m := u[net.Modules[1].ID]
	m.Ah, m.Nobody = known.Within(180, 150, 210, known.Said), true
	u[m.ID] = m
	s := judged()
	if s.Tells.Ah.From() != known.Said || s.Tells.Ah.Low() != 150 {
		t.Errorf("holds %v: expected 150 Ah at least, by somebody's word", s.Tells.Ah)
	}
	for _, l := range s.Leads(u) {
		if l.Volts.From() != known.Assumed {
			t.Errorf("lead %d reads %v: expected it to rest on what is assumed", l.Input, l.Volts)
		}
	}
	m.Case = floor.Case{}
	u[m.ID] = m
	for i := range net.Conductors {
		net.Conductors[i].LengthMM = nil
	}
	for _, c := range judged().Netlist.Conductors {
		if touches := strings.Contains(c.From+c.To, m.ID); c.Kind == netlist.Bar && touches != (c.LengthMM == nil) {
			t.Errorf("%s is %v mm long: expected nothing to be judged by a size that is a guess", c.ID, c.LengthMM)
		}
	}
}

func FuzzRead(f *testing.F) {
	u, net, chains := floortest.Designed(1, 2, 1)
	data, err := floor.Write(floor.FromNetlist(net, u, chains), u)
	if err != nil {
		f.Fatal(err)
	}
	f.Add(data)
	f.Add([]byte(`{"format":"pandrel drawing 1","pieces":[{"id":"S1","kind":"stud","place":{}}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		d, units, err := floor.Read(data)
		if err != nil {
			return
		}
		s, err := floor.Judge(d, units) // whatever is read can be judged, or says why not
		if err == nil {
			s.Parts(units)
			floor.Arranged(d, units)
		}
	})
}

func TestVersionsCompare(t *testing.T) {
	u, net, chains := floortest.Designed(1, 3, 1)
	was := floor.FromNetlist(net, u, chains)
	if diff := floor.Compare(was, was.Clone()); len(diff) > 0 {
		t.Errorf("%v: expected nothing", diff)
	}
	now := was.Clone()
	now.Pieces[0].Place.XMM += 40
	now.Joints[0].From, now.Joints[0].To = now.Joints[0].To, now.Joints[0].From // named from its other end: the same
	now.Joints = now.Joints[:len(now.Joints)-1]
	now.Joints[1].RatingA = finding.Of(250)
	diff := floor.Compare(was, now)
	if len(diff) != 3 || !diff[0].Wiring || diff[2].Wiring {
		t.Errorf("%v: expected a joint gone, one rated, and a piece moved last", diff)
	}
}

// As many modules as a hall has are judged, and drawn, while somebody waits.
func BenchmarkJudge(b *testing.B) {
	for _, n := range []int{16, 100, 1000} {
		u, net, chains := floortest.Designed(max(1, n/10), min(n, 10), 1)
		d := floor.FromNetlist(net, u, chains)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				if _, err := floor.Judge(d, u); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}

func BenchmarkFromNetlist(b *testing.B) {
	u, net, chains := floortest.Designed(1, 16, 2)
	for b.Loop() {
		floor.FromNetlist(net, u, chains)
	}
}

// Leads that came with a BMS are held against the plan: the ones that do not reach are named, with what they need; a
// length that rests on a guess judges nothing.
func TestSuppliedLeadsMustReach(t *testing.T) {
	u, net, chains := floortest.Designed(1, 2, 1)
	judged := func(mm float64, u floor.Units) floor.State {
		d := floor.FromNetlist(net, u, chains)
		d.Piece("B1").LeadsMM = mm
		s, err := floor.Judge(d, u)
		if err != nil {
			t.Fatal(err)
		}
		return s
	}
	longest := 0.0
	for _, l := range judged(0, u).Leads(u) {
		longest = max(longest, l.Length.V())
	}
	findingtest.Lacks(t, judged(0, u).Findings, "leads-too-short")
	findingtest.Lacks(t, judged(longest, u).Findings, "leads-too-short")
	s := judged(longest-50, u)
	findingtest.Holds(t, s.Findings, "leads-too-short", finding.Caution, longest, longest-50, "mm")
	short := 0
	for _, l := range s.Leads(u) {
		if l.Short.Is() {
			short++
			if l.Short.V() != l.Length.V()-(longest-50) {
				t.Errorf("lead %d: %v short of %v", l.Input, l.Short, l.Length)
			}
		}
	}
	if short == 0 {
		t.Error("no lead says how much of it is missing")
	}
	guessed := floor.Units{}
	for id, x := range u {
		x.Case = floor.Case{}
		guessed[id] = x
	}
	findingtest.Lacks(t, judged(50, guessed).Findings, "leads-too-short")
}

// Sensors go where it is warmest and where it is cold first: in a row of three the middle one has most neighbours.
func TestWhereSensorsBelong(t *testing.T) {
	u, net, chains := floortest.Designed(1, 3, 1)
	d := floor.FromNetlist(net, u, chains)
	for i, c := range chains[0] {
		d.Piece(c[0]).Place = floor.Place{XMM: float64(i) * 400}
	}
	for id, x := range u {
		x.Case = floor.Case{WMM: 380, DMM: 170}
		u[id] = x
	}
	s, err := floor.Judge(d, u)
	if err != nil {
		t.Fatal(err)
	}
	got := s.Sensors(u)
	if len(got) != 2 || got[0].On != chains[0][1][0] || got[1].On == got[0].On {
		t.Errorf("%+v: expected the middle one first, another second", got)
	}
	d.Piece(chains[0][2][0]).Place.XMM = 3000
	if s, err = floor.Judge(d, u); err != nil {
		t.Fatal(err)
	}
	if got = s.Sensors(u); got[1].On != chains[0][2][0] {
		t.Errorf("%+v: expected the one that stands alone to be cold first", got)
	}
}

// Posts that a falling tool would bridge are named, with the volts between; joined ones and guessed places are not.
func TestPostsStandApart(t *testing.T) {
	u, net, chains := floortest.Designed(1, 3, 1)
	for id, x := range u {
		x.Case = floor.Case{WMM: 20, DMM: 20}
		u[id] = x
	}
	first, last := chains[0][0][0], chains[0][2][0]
	judged := func(apart float64, u floor.Units) []finding.Finding {
		d := floor.FromNetlist(net, u, chains)
		for i, c := range chains[0] {
			d.Piece(c[0]).Place = floor.Place{YMM: float64(i) * 2000}
		}
		d.Piece(last).Place = floor.Place{YMM: 0, XMM: 5000}
		a, b := d.AllSpots(u)[first+".P"], d.AllSpots(u)[last+".P"]
		// the plus posts of the first and the last module, so far apart
		d.Piece(last).Place.XMM += a.X - b.X + apart
		d.Piece(last).Place.YMM += a.Y - b.Y
		d.Piece(last).Place.Layer = 0
		s, err := floor.Judge(d, u)
		if err != nil {
			t.Fatal(err)
		}
		return s.Findings
	}
	findingtest.Holds(t, judged(24, u), "posts-too-close", finding.Caution, 24, 25, "mm")
	findingtest.Lacks(t, judged(34, u), "posts-too-close") // its minus post stands 8 mm nearer
	findingtest.Lacks(t, judged(10, u), "posts-too-close") // they take one place, which is said by itself
	guessed := floor.Units{}
	for id, x := range u {
		x.Case = floor.Case{}
		guessed[id] = x
	}
	findingtest.Lacks(t, judged(24, guessed), "posts-too-close")
}
