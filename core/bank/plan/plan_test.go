package plan_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"os"
	"slices"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/match"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/capacity"
	"pandrel/core/module/layout"
)

var update = flag.Bool("update", false, "write the golden netlists anew")

var need = plan.Need{Need: window.Need{AbsMaxVolts: 64, ChargeMaxVolts: 58.4, CutoffVolts: 43, LoadWatts: 400,
	WantedKWh: 3, ChargeAmps: 15}, FrostAsked: true}

// trike is the layout of a module of seven groups: posts at the ends, a connector with every tap.
func trike(t testing.TB) layout.Map {
	t.Helper()
	rs := []layout.Reading{{Red: "X1", Black: "A-", Volts: 0}, {Red: "A+", Black: "X8", Volts: 0}}
	for i := 1; i < 8; i++ {
		rs = append(rs, layout.Reading{Red: fmt.Sprintf("X%d", i+1), Black: fmt.Sprintf("X%d", i), Volts: 3.78})
	}
	rs = append(rs, layout.Reading{Red: "A+", Black: "A-", Volts: 7 * 3.78})
	m, err := layout.Solve(rs, layout.Options{Chemistry: chem.NMC})
	if err != nil || !m.Complete {
		t.Fatal(err, m.Complete)
	}
	return m
}

var typ = plan.Type{ID: 1, Name: "TRIKE-7", Posts: []string{"A-", "A+"},
	Pins: []string{"X1", "X2", "X3", "X4", "X5", "X6", "X7", "X8"}, ModuleKg: 9}

var capacities = []float64{40.1, 38.2, 39.4, 37.0}

// design is two modules in series with two in parallel, joined in a style.
func design(t testing.TB, style match.Style) plan.Design {
	t.Helper()
	st := window.Stock{Type: "TRIKE-7", Chemistry: chem.NMC, Series: 7}
	p := match.Problem{Series: 2, Parallel: 2, Style: style}
	for i, ah := range capacities {
		name := fmt.Sprintf("K-%03d", i+1)
		st.Modules = append(st.Modules, window.Module{Name: name, CapacityAh: ah, ResistanceMOhm: 13})
		p.Modules = append(p.Modules, match.Module{Name: name, CapacityAh: ah, ResistanceMOhm: 13})
	}
	cs, err := window.Candidates(need.Need, []window.Stock{st})
	if err != nil {
		t.Fatal(err)
	}
	k := slices.IndexFunc(cs, func(c window.Candidate) bool { return c.Series == 14 && c.Parallel == 2 })
	r, err := match.Solve(p)
	if err != nil || k < 0 {
		t.Fatal(err, k)
	}
	d := plan.Matched(1, cs[k], style, r)
	for _, pl := range d.Numbers() {
		i := slices.IndexFunc(p.Modules, func(m match.Module) bool { return m.Name == pl.Number })
		pl.CapacityAh, pl.MOhm = capacities[i], 13
		for range 7 {
			pl.Volts = append(pl.Volts, 3.78)
		}
		d.Places = append(d.Places, pl)
	}
	return d
}

func device(t testing.TB, name string) bms.Device {
	t.Helper()
	for _, d := range bms.Catalogue() {
		if d.Name == name {
			return d
		}
	}
	t.Fatalf("no %s in the catalogue", name)
	return bms.Device{}
}

func situation(t testing.TB, style match.Style) plan.Situation {
	return plan.Situation{Need: need, Design: design(t, style), Type: typ, Layout: trike(t),
		Device: device(t, "T16-60"), Parts: plan.Parts{FuseA: 40, FuseV: 80, FuseKA: 20, CableA: 60, BondA: 10}}
}

func ExampleDesign_PlaceName() {
	d := plan.Design{Style: match.StringsFirst, Candidate: window.Candidate{Parallel: 2}}
	fmt.Println(d.PlaceName(plan.Place{Position: 0, Mate: 1}))
	d.Style = match.ParallelFirst
	fmt.Println(d.PlaceName(plan.Place{Position: 0, Mate: 1}))
	// Output:
	// string b, place 1
	// position 1, parallel place 2
}

// A netlist is a promise of what gets bolted: it changes only when somebody looks.
func TestNetlistsAsTheyWere(t *testing.T) {
	for _, style := range []match.Style{match.ParallelFirst, match.StringsFirst} {
		t.Run(string(style), func(t *testing.T) {
			s := situation(t, style)
			got, err := json.MarshalIndent(plan.Netlist(s.Design, s.Type, s.Layout, s.Device, s.Parts), "", " ")
			if err != nil {
				t.Fatal(err)
			}
			file := "testdata/" + string(style) + ".json"
			if *update {
				if err := os.WriteFile(file, append(got, '\n'), 0o644); err != nil {
					t.Fatal(err)
				}
			}
			want, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			if string(got)+"\n" != string(want) {
				t.Errorf("another netlist than %s; look at the difference, then -update", file)
			}
		})
	}
}

// Kirchhoff: however modules are joined, the ends of the bank stand at the sum of one string.
func TestABankStandsAtTheSumOfItsString(t *testing.T) {
	for _, style := range []match.Style{match.ParallelFirst, match.StringsFirst} {
		t.Run(string(style), func(t *testing.T) {
			w, err := plan.CheckWiring(situation(t, style))
			if err != nil {
				t.Fatal(err)
			}
			if len(w.Report.Shorts) > 0 || finding.Worst(w.Report.Findings) >= finding.Stop {
				t.Fatalf("%+v", w.Report.Findings)
			}
			if got := w.NowVolts(); math.Abs(got-14*3.78) > 1e-6 {
				t.Errorf("ends at %v V", got)
			}
			for _, p := range w.Places {
				volts, _ := w.Stand(p)
				if len(volts) != 8 || math.Abs(volts[7]-volts[0]-p.TotalVolts()) > 1e-9 {
					t.Errorf("%s stands at %v", p.Number, volts)
				}
				if want := float64(p.Position) * 7 * 3.78; math.Abs(volts[0]-want) > 1e-6 {
					t.Errorf("%s begins at %v V, expected %v", p.Number, volts[0], want)
				}
			}
			if len(w.Steps) == 0 {
				t.Error("a bank with a BMS that fits has no steps to build it by")
			}
		})
	}
}

func TestNothingIsBuiltWithoutABMS(t *testing.T) {
	s := situation(t, match.ParallelFirst)
	s.Device = bms.Device{}
	w, err := plan.CheckWiring(s)
	if err != nil || len(w.Steps) > 0 || len(w.Netlist.BMS) > 0 {
		t.Errorf("%v: %d steps, %d BMS", err, len(w.Steps), len(w.Netlist.BMS))
	}
}

// 60 V of a full bank is a stop where it is wet long before it is one where it is dry.
func TestTouchDependsOnThePlace(t *testing.T) {
	for _, c := range []struct {
		name string
		wet  bool
		stop bool
	}{{"dry", false, false}, {"wet", true, true}} {
		t.Run(c.name, func(t *testing.T) {
			s := situation(t, match.ParallelFirst)
			s.Need.WetPlace = c.wet
			w, err := plan.CheckWiring(s)
			if err != nil {
				t.Fatal(err)
			}
			got := slices.ContainsFunc(w.Report.Findings, func(f finding.Finding) bool {
				return f.Code == "high-voltage" && f.Level >= finding.Stop
			})
			if got != c.stop {
				t.Errorf("a stop: %v", got)
			}
		})
	}
}

// A module of the same capacity in another's place changes nothing but the number; a weaker one costs what its
// position loses, and energy goes with charge.
func TestReplace(t *testing.T) {
	for _, c := range []struct {
		name   string
		ah     float64
		change func(before plan.Design, at int) float64
	}{
		{"the same", 0, func(plan.Design, int) float64 { return 0 }},
		{"weaker by 3 Ah", -3, func(b plan.Design, at int) float64 {
			sums := map[int]float64{}
			for i, p := range b.Places {
				sums[p.Position] += p.CapacityAh
				if i == at {
					sums[p.Position] -= 3
				}
			}
			return min(sums[0], sums[1]) - b.BankAh()
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			d := design(t, match.ParallelFirst)
			for at := range d.Places {
				before := design(t, match.ParallelFirst)
				d := design(t, match.ParallelFirst)
				in := plan.Place{Number: "K-090", CapacityAh: d.Places[at].CapacityAh + c.ah, MOhm: 13}
				d.Replace(at, in)
				if got, want := d.BankAh()-before.BankAh(), c.change(before, at); math.Abs(got-want) > 1e-9 {
					t.Errorf("place %d: %v Ah, expected %v", at, got, want)
				}
				share := d.BankAh() / before.BankAh()
				if got := d.Candidate.UsableKWh / before.Candidate.UsableKWh; math.Abs(got-share) > 1e-9 {
					t.Errorf("place %d: energy by %v, charge by %v", at, got, share)
				}
				if d.At("K-090") != at || d.At(before.Places[at].Number) != -1 {
					t.Errorf("place %d: not where it was put", at)
				}
				if d.Places[at].Position != before.Places[at].Position {
					t.Error("it moved")
				}
			}
		})
	}
}

func TestReplacementsAreTheBestThree(t *testing.T) {
	d := design(t, match.ParallelFirst)
	v := d.Places[0].TotalVolts()
	got := d.Replacements(0, []plan.Spare{{Number: "weak", CapacityAh: 20, Volts: v}, {Number: "far", CapacityAh: 50,
		Volts: v - 2}, {Number: "near", CapacityAh: 50, Volts: v - 0.01}, {Number: "fair", CapacityAh: 36, Volts: v}})
	var names []string
	for _, r := range got {
		names = append(names, r.Number)
	}
	if !slices.Equal(names, []string{"near", "far", "fair"}) {
		t.Errorf("%v", names)
	}
}

// Fault current is that of the strings in parallel, and names no number where no resistance is known.
func TestProspective(t *testing.T) {
	d := design(t, match.ParallelFirst)
	one := d
	one.Candidate.Parallel = 1
	// Rounded up to two digits: up to a tenth more.
	if a, b := d.ProspectiveAmps(), one.ProspectiveAmps(); a < 2*b/1.1 || a > 2*b*1.1 {
		t.Errorf("%v A of two strings, %v A of one", a, b)
	}
	for i := range d.Places {
		d.Places[i].MOhm = 0
	}
	if got := d.ProspectiveAmps(); got != 0 {
		t.Errorf("%v A of what nobody measured", got)
	}
}

// Ratings nobody gave are not zero amps: they are not known, and the check says so.
func TestUnknownRatingsAreNotZero(t *testing.T) {
	s := situation(t, match.ParallelFirst)
	s.Parts = plan.Parts{}
	for _, k := range plan.Netlist(s.Design, s.Type, s.Layout, s.Device, s.Parts).Conductors {
		if k.RatingA != nil || k.Kind == netlist.Fuse && k.InterruptA != nil {
			t.Errorf("%s has a rating nobody gave", k.ID)
		}
	}
	w, err := plan.CheckWiring(s)
	if err != nil || !slices.ContainsFunc(w.Report.Findings, func(f finding.Finding) bool {
		return f.Level >= finding.Note && f.Subject == "F1" || f.Code == "not-checked"
	}) {
		t.Errorf("%v: nothing said of F1", err)
	}
}

func BenchmarkCheck(b *testing.B) {
	s := situation(b, match.ParallelFirst)
	for b.Loop() {
		if _, err := plan.CheckWiring(s); err != nil {
			b.Fatal(err)
		}
	}
}

// Boards of a stack share one string: each sees its part from the tap where the one below ends, they share one switch,
// and together they see every group once.
func TestStackedBoardsSeeEveryGroupOnce(t *testing.T) {
	s := situation(t, match.ParallelFirst)
	s.Device = bms.Device{Name: "stack", Own: true, Switch: bms.Relay, GroupsLow: 4, GroupsHigh: 8, ContinuousAmps: 100,
		PeakAmps: 200, ChargeAmps: 100, BalanceAmps: 0.1, LowTempCutoff: true, TempSensors: 2, Stackable: true}
	w, err := plan.CheckWiring(s)
	if err != nil {
		t.Fatal(err)
	}
	if len(w.Netlist.BMS) != 2 || len(w.Report.Unmonitored) > 0 || len(w.Report.Bypasses) > 0 ||
		finding.Worst(w.Report.Findings) >= finding.Stop {
		t.Fatalf("%d boards, %v unmonitored, %+v", len(w.Netlist.BMS), w.Report.Unmonitored, w.Report.Findings)
	}
	for _, b := range w.Netlist.BMS { // 14 groups of two modules: seven each, the border where the modules meet
		e := w.Expected[b.ID]
		if len(e) != 8 || math.Abs(e[7]-e[0]-7*3.78) > 1e-6 {
			t.Errorf("%s: %v", b.ID, e)
		}
	}
	if s.Device.Stackable = false; len(s.Design.Boards(s.Device)) != 0 {
		t.Error("boards that are not made for it were stacked")
	}
	if w, err = plan.CheckWiring(s); err != nil || len(w.Steps) > 0 {
		t.Errorf("%d steps with a BMS of too few groups (%v)", len(w.Steps), err)
	}
}

// What nobody tested makes an interval, and the settings go by the least of it.
func TestUntestedPlacesMakeAnInterval(t *testing.T) {
	s := situation(t, match.ParallelFirst)
	tested := s.Design.BMSPlan(s.Need, s.Type)
	for i := range s.Design.Places {
		p := &s.Design.Places[i]
		p.LowAh, p.HighAh, p.Basis = 0.7*p.CapacityAh, 1.2*p.CapacityAh, capacity.Plate
	}
	r := s.Design.Ah()
	if math.Abs(r.Low()-0.7*r.V()) > 1e-9 || math.Abs(r.High()-1.2*r.V()) > 1e-9 || r.Mark() != "assumed" ||
		s.Design.Usable().Mark() != "assumed" {
		t.Errorf("%+v", r)
	}
	p := s.Design.BMSPlan(s.Need, s.Type)
	if p.LowAh != r.Low() || p.ChargeAmpsLimit(s.Device) >= tested.ChargeAmpsLimit(s.Device) {
		t.Errorf("set for %v Ah, charged at %v A (tested: %v A)", p.LowAh, p.ChargeAmpsLimit(s.Device),
			tested.ChargeAmpsLimit(s.Device))
	}
	w, err := plan.CheckWiring(s)
	if err != nil || !slices.ContainsFunc(w.Report.Findings, func(f finding.Finding) bool {
		return f.Code == "capacity-not-tested"
	}) {
		t.Errorf("%v: nothing said of what was never tested", err)
	}
	for i := range s.Design.Places {
		s.Design.Places[i].Volts = nil
	}
	if w, err = plan.CheckWiring(s); err != nil || len(w.Steps) > 0 || len(w.Expected) > 0 || len(w.Assumed) != 4 {
		t.Errorf("%v: %d steps, %d sense tables of nominal volts", err, len(w.Steps), len(w.Expected))
	}
	findingtest.Holds(t, w.Report.Findings, "not-surveyed", finding.Stop, 4, 0, "modules")
}

// Each group of a bank is one of its modules': counted from the main negative, mates together.
func TestGroupsHaveTheirModules(t *testing.T) {
	d := plan.Design{Candidate: window.Candidate{Series: 5, ModulesInString: 2, Groups: []int{3, 2}, Parallel: 2},
		Places: []plan.Place{{Number: "A", Position: 0}, {Number: "B", Position: 0, Mate: 1}, {Number: "C",
			Position: 1}, {Number: "D", Position: 1, Mate: 1}}}
	got := d.GroupNames()
	want := []string{"group 1 of A and B", "group 2 of A and B", "group 3 of A and B", "group 1 of C and D",
		"group 2 of C and D"}
	if !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
}

// Each kind of switch is written down as what is known of it: one that opens nothing is not believed.
func TestWhatTheBMSOpensIsWrittenDown(t *testing.T) {
	for _, c := range []struct{ sw, code string }{{bms.Transistor, ""}, {bms.Relay, ""}, {bms.Opens, ""},
		{bms.Monitor, "bms-cannot-disconnect"}, {"", "bms-cannot-disconnect"}} {
		s := situation(t, match.ParallelFirst)
		s.Device.Switch = c.sw
		w, err := plan.CheckWiring(s)
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		for _, f := range w.Report.Findings {
			if f.Code == "bms-cannot-disconnect" || f.Code == "bms-bypassed" {
				got += f.Code
			}
		}
		if got != c.code {
			t.Errorf("switch %q: %q, expected %q", c.sw, got, c.code)
		}
	}
}

// 14 groups of 4.2 V reach 58.8 V: whatever the charger is set to, a device that survives less hangs on the BMS alone.
func TestFullCellsAboveTheDeviceAreSaid(t *testing.T) {
	for _, c := range []struct {
		most         float64
		programmable bool
		says, stops  bool
	}{{64, true, false, false}, {58.8, true, false, false}, {56, true, true, false}, {56, false, true, true}} {
		s := situation(t, match.ParallelFirst)
		s.Need.AbsMaxVolts, s.Device.Programmable = c.most, c.programmable
		s.Design.Candidate.TripVolts = min(s.Design.Candidate.TripVolts, 0.98*c.most)
		w, err := plan.CheckWiring(s)
		if err != nil {
			t.Fatal(err)
		}
		has := func(fs []finding.Finding, code string) bool {
			return slices.ContainsFunc(fs, func(f finding.Finding) bool { return f.Code == code })
		}
		if has(w.Report.Findings, "full-above-device") != c.says || has(w.Report.IntoService,
			"no-pack-trip") != c.stops {
			t.Errorf("%v V: %+v, into service %+v", c.most, w.Report.Findings, w.Report.IntoService)
		}
	}
}

// A module that was measured anew counts wherever it stands, the first as the last, in either style.
func TestRecountCountsEachPlace(t *testing.T) {
	for _, style := range []match.Style{match.ParallelFirst, match.StringsFirst} {
		for at := range capacities {
			d := design(t, style)
			before := slices.Clone(d.Match.PartsAh)
			d.Places[at].CapacityAh -= 20
			d.Recount()
			changed := 0
			for i := range before {
				if d.Match.PartsAh[i] < before[i]-1 {
					changed++
				}
			}
			if changed != 1 {
				t.Errorf("%s: %s lost 20 Ah, and parts went from %v to %v", style, d.Places[at].Number, before,
					d.Match.PartsAh)
			}
		}
	}
}
