package testplan_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/bench/kit"
	"pandrel/core/bench/load"
	"pandrel/core/test/testplan"
)

func module() testplan.Module {
	return testplan.Module{Name: "K-1", Chemistry: chem.NMC, Series: 7, Ah: 46, Monitored: true,
		Volts: []float64{3.7, 3.7, 3.7, 3.7, 3.7, 3.7, 3.7}}
}

func plan(t *testing.T, m testplan.Module, k kit.Kit, device string) testplan.Plan {
	t.Helper()
	p, err := testplan.For(m, k, device)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

func codes(p testplan.Plan) map[string]finding.Level {
	out := map[string]finding.Level{}
	for _, f := range p.Findings {
		out[f.Code] = f.Level
	}
	return out
}

// The current is the least of all that limit it, and is named by it.
func TestWhatLimitsTheCurrent(t *testing.T) {
	for _, c := range []struct {
		name   string
		change func(*testplan.Module, *kit.Kit)
		amps   float64
		by     string
	}{
		{"the C rate", func(_ *testplan.Module, k *kit.Kit) { k.Devices[0].Watts = 450 }, 0.3 * 46, "0.3 C"},
		{"its own watts", func(*testplan.Module, *kit.Kit) {}, 400 / (7 * 4.2), "Cycler A's watts"},
		{"the clamp", func(_ *testplan.Module, k *kit.Kit) { k.ClampAmps = 10 }, 10, "the clamp"},
		{"the wire", func(_ *testplan.Module, k *kit.Kit) { k.WireAmps = 6 }, 6, "the wire"},
		{"watts", func(_ *testplan.Module, k *kit.Kit) { k.Devices[0].Watts = 100 }, 100 / (7 * 4.2),
			"Cycler A's watts"},
		{"the maker", func(m *testplan.Module, _ *kit.Kit) { m.ChargeLimitA = 9 }, 9, "the module"},
		{"cold", func(m *testplan.Module, _ *kit.Kit) { x := 5.0; m.TempC = &x }, 4.6, "0.1 C below 10 °C"},
	} {
		m, k := module(), kit.Small()
		c.change(&m, &k)
		p := plan(t, m, k, "Cycler A")
		if s := p.Steps[0]; math.Abs(s.Amps-c.amps) > 1e-9 || s.LimitBy != c.by || p.Refused {
			t.Errorf("%s: %v A by %s, %+v", c.name, s.Amps, s.LimitBy, p.Findings)
		}
	}
}

// By hand: from half full to full at 13.605 A (400 W at 4.2 V a group), the last tenth at 0.4 of it.
func TestHours(t *testing.T) {
	m := module()
	k, _ := chem.Lookup(chem.NMC)
	v := k.Curve.Volts(0.5)
	m.Volts = []float64{v, v, v, v, v, v, v}
	p := plan(t, m, kit.Small(), "Cycler A")
	amps := 400 / (7 * 4.2)
	want := 0.4*46/amps + 0.1*46/(0.4*amps)
	if math.Abs(p.Steps[0].Hours-want) > 1e-6 {
		t.Errorf("%v h, expected %v", p.Steps[0].Hours, want)
	}
	sum := 0.0
	for _, s := range p.Steps {
		sum += s.Hours
		if s.Attended {
			t.Errorf("%s is attended: every group is read and the device ends it", s.Kind)
		}
	}
	if math.Abs(sum-p.Hours) > 1e-9 || len(p.Steps) != 5 || len(p.Card) < 8 || len(p.Clamps) != 3 {
		t.Errorf("%+v", p)
	}
}

func TestRefusals(t *testing.T) {
	hot, cold := 50.0, -2.0
	for _, c := range []struct {
		name   string
		change func(*testplan.Module, *kit.Kit)
		code   string
		level  finding.Level
	}{
		{"quarantined", func(m *testplan.Module, _ *kit.Kit) { m.Held = "it is in quarantine" }, "held",
			finding.Refuse},
		{"ever below", func(m *testplan.Module, _ *kit.Kit) { m.EverBelow = true }, "never-recharge", finding.Refuse},
		{"below now", func(m *testplan.Module, _ *kit.Kit) { m.Volts[2] = 1.9 }, "never-recharge", finding.Refuse},
		{"very low", func(m *testplan.Module, _ *kit.Kit) { m.Volts[2] = 3.0 }, "look-closer", finding.Caution},
		{"frost", func(m *testplan.Module, _ *kit.Kit) { m.TempC = &cold }, "cold", finding.Refuse},
		{"heat", func(m *testplan.Module, _ *kit.Kit) { m.TempC = &hot }, "hot", finding.Stop},
		{"no lead", func(m *testplan.Module, _ *kit.Kit) { m.Monitored = false }, "no-full-charge", finding.Stop},
		{"no end-point", func(_ *testplan.Module, k *kit.Kit) { k.Devices[0].OwnEndPoint = false }, "no-end-point",
			finding.Caution},
		{"only a charger", func(_ *testplan.Module, k *kit.Kit) { k.Devices = k.Devices[1:2] }, "half-a-bench",
			finding.Stop},
		{"too many groups", func(m *testplan.Module, k *kit.Kit) { m.Series, m.Volts = 40, nil }, "too-many-groups",
			finding.Stop},
		{"an empty bench", func(_ *testplan.Module, k *kit.Kit) { k.Devices = nil }, "no-device", finding.Stop},
	} {
		m, k := module(), kit.Small()
		c.change(&m, &k)
		p := plan(t, m, k, "")
		if got, ok := codes(p)[c.code]; !ok || got != c.level || (c.level >= finding.Stop) != p.Refused {
			t.Errorf("%s: refused %v, %+v", c.name, p.Refused, p.Findings)
		}
	}
	if _, err := testplan.For(testplan.Module{Name: "x", Series: 7, Ah: 46}, kit.Small(), ""); err == nil {
		t.Error("a charge step without a declared chemistry")
	}
}

// Fourteen groups on a cycler for eight: two blocks of seven on its two channels, which are isolated, or not.
func TestSplitOverTwoChannels(t *testing.T) {
	m, k := module(), kit.Small()
	m.Series, m.Volts = 14, nil
	p := plan(t, m, k, "Cycler A")
	if b := p.Steps[0].Blocks; len(b) != 2 || b[0].To != 7 || b[1].From != 8 || b[1].To != 14 || p.Refused {
		t.Fatalf("%+v %+v", b, p.Findings)
	}
	k.Devices[0].Isolated = false
	if p := plan(t, m, k, "Cycler A"); !p.Refused || codes(p)["not-isolated"] != finding.Stop {
		t.Errorf("joined blocks on outputs that are not isolated: %+v", p.Findings)
	}
}

// A part has its clamps on taps, and its own volts.
func TestAPart(t *testing.T) {
	m := module()
	m.From, m.To = 3, 4
	p := plan(t, m, kit.Small(), "Cycler A")
	if p.Clamps[0].On != "tap between groups 4 and 5" || p.Clamps[1].On != "tap between groups 2 and 3" {
		t.Errorf("%+v", p.Clamps)
	}
	if p.Card[1].Value != "2" {
		t.Errorf("%+v", p.Card[1])
	}
	m.To = 9
	if _, err := testplan.For(m, kit.Small(), ""); err == nil {
		t.Error("groups 3 to 9 of 7")
	}
}

func TestKit(t *testing.T) {
	if f, text := kit.Small().Check(); f != "" {
		t.Errorf("%s: %s", f, text)
	}
	for name, change := range map[string]func(*kit.Kit){"a name twice": func(k *kit.Kit) {
		k.Devices[1].Name = "cycler a"
	}, "no current": func(k *kit.Kit) { k.Devices[2].LoadAmps = 0 }, "a day of 30 hours": func(k *kit.Kit) {
		k.WorkTo = 30
	}, "a store of 200 %": func(k *kit.Kit) { k.Store.From = 2 }, "not a number": func(k *kit.Kit) {
		k.ClampAmps = math.NaN()
	}} {
		k := kit.Small()
		change(&k)
		if f, _ := k.Check(); f == "" {
			t.Errorf("%s: accepted", name)
		}
	}
}

func ExampleFor() {
	p, _ := testplan.For(module(), kit.Small(), "")
	for _, s := range p.Steps {
		fmt.Printf("%s %.1f h; ", s.Kind, s.Hours)
	}
	// Output: charge 2.3 h; rest 1.0 h; discharge 3.4 h; rest 1.0 h; storage 1.7 h;
}

// Where nothing else discharges, a load is made of the stock: never hotter than it may be, and attended.
func TestALoadOfResistors(t *testing.T) {
	m := testplan.Module{Name: "K", Chemistry: chem.NMC, Series: 7, Ah: 46, Monitored: true}
	k := kit.Kit{ClampAmps: 20, WireAmps: 20, Devices: []kit.Device{{Name: "Charger", Channels: 1, SeriesMost: 8,
		ChargeAmps: 10, OwnEndPoint: true, GroupVolts: true, AccuracyPct: 0.5}}}
	p, err := testplan.For(m, k, "")
	if err != nil || !p.Refused {
		t.Fatalf("%v: a bench that cannot discharge tests: %+v", err, p.Findings)
	}
	k.Resistors = []load.Resistor{{Name: "1 Ω on a plate", Ohms: 1, Watts: 100, Count: 24}}
	if p, err = testplan.For(m, k, ""); err != nil || p.Refused {
		t.Fatalf("%v: %+v", err, p.Findings)
	}
	for _, s := range p.Steps {
		if s.Kind == "discharge" && (!s.Attended || s.Amps > 20 || s.Amps < 1) {
			t.Errorf("%+v", s)
		}
	}
	says := func(code string) *finding.Finding {
		for i := range p.Findings {
			if p.Findings[i].Code == code {
				return &p.Findings[i]
			}
		}
		return nil
	}
	if f := says("resistor-load"); f == nil || *f.Measured > *f.Limit {
		t.Errorf("%+v", p.Findings)
	}
	if !slices.ContainsFunc(p.Card, func(l testplan.Line) bool {
		return l.Setting == "counts within" && l.Value == "± 0.23 Ah"
	}) {
		t.Errorf("%+v", p.Card)
	}
	k.Resistors[0].Watts = 1
	if p, err = testplan.For(m, k, ""); err != nil || !p.Refused {
		t.Errorf("%v: a load that would glow is taken", err)
	}
}

// An end of a part that only a pin of the sense connector reaches bears no current of a test.
func TestAPinBearsNoTestCurrent(t *testing.T) {
	m := testplan.Module{Name: "K", Chemistry: chem.NMC, Series: 7, Ah: 46, Monitored: true, From: 1, To: 3}
	thick, err := testplan.For(m, kit.Small(), "")
	if err != nil {
		t.Fatal(err)
	}
	m.ThinTap = "tap between groups 3 and 4"
	thin, err := testplan.For(m, kit.Small(), "")
	if err != nil {
		t.Fatal(err)
	}
	for i, s := range thin.Steps {
		if s.Amps > 1 || s.Amps == 0 && thick.Steps[i].Amps > 0 || thick.Steps[i].Amps > 0 && thick.Steps[i].Amps < 5 {
			t.Errorf("%s at %.1f A, over a bar %.1f A", s.Kind, s.Amps, thick.Steps[i].Amps)
		}
	}
	if !slices.ContainsFunc(thin.Findings, func(f finding.Finding) bool {
		return f.Code == "thin-tap" && strings.Contains(f.Text, "between groups 3 and 4")
	}) {
		t.Errorf("%+v", thin.Findings)
	}
}

func BenchmarkFor(b *testing.B) {
	m, k := module(), kit.Small()
	for b.Loop() {
		if _, err := testplan.For(m, k, ""); err != nil {
			b.Fatal(err)
		}
	}
}

// A box of 20 groups on channels for eight: blocks end where a post or a bar is; a boundary that only a pin reaches
// limits every block to what the pin bears, and says so; each block has its own card.
func TestBlocksEndWhereAPostIs(t *testing.T) {
	k := kit.Small()
	k.Devices[0].Channels = 4
	box := testplan.Module{Name: "K", Chemistry: chem.LFP, Series: 20, Ah: 100, Monitored: true}
	for _, c := range []struct {
		name  string
		bears []int
		n     int
		ends  []int
		thin  bool
	}{
		{"two connectors and no bar", nil, 20, []int{7, 14, 20}, true},
		{"a bar in the middle", []int{10}, 20, []int{7, 14, 20}, true}, // ten are too many for a channel
		{"bars at 7 and 14", []int{7, 14}, 20, []int{7, 14, 20}, false},
		{"bars at 5, 12 and 18", []int{5, 12, 18}, 20, []int{5, 12, 20}, false},
		{"bars at each", []int{1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 16, 17, 18, 19}, 20,
			[]int{7, 14, 20}, false},
		{"eight fit one channel", nil, 8, nil, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			m := box
			m.Series, m.Bears = c.n, c.bears
			p := plan(t, m, k, "Cycler A")
			var ends []int
			for _, b := range p.Blocks() {
				ends = append(ends, b.To)
			}
			if !slices.Equal(ends, c.ends) || p.Refused {
				t.Fatalf("%v %+v", ends, p.Findings)
			}
			if _, said := codes(p)["thin-tap"]; said != c.thin {
				t.Errorf("a thin tap is said: %v", said)
			}
			wide, last := c.n, 0
			for i, to := range ends {
				if i == 0 || to-last > wide {
					wide = to - last
				}
				last = to
			}
			for _, s := range p.Steps {
				if s.Kind == "rest" {
					continue
				}
				highest := 3.65
				if s.Kind == "storage" {
					highest = 3.50
				}
				if c.thin && s.Amps > 1 || s.Amps*float64(wide)*highest > 400+1e-9 || s.Amps <= 0 {
					t.Errorf("%s at %.2f A over %d groups", s.Kind, s.Amps, wide)
				}
			}
			last = 0
			for i, to := range ends {
				on := fmt.Sprintf("Cycler A, channel for block %d", i+1)
				want := map[string]string{"groups": fmt.Sprint(to - last),
					"volts in all": fmt.Sprintf("%.2f V", float64(to-last)*3.65)}
				for setting, value := range want {
					if !slices.ContainsFunc(p.Card, func(l testplan.Line) bool {
						return l.Device == on && l.Setting == setting && l.Value == value
					}) {
						t.Errorf("block %d: no %s of %s", i+1, setting, value)
					}
				}
				last = to
			}
		})
	}
	t.Run("a charger that cannot discharge takes no block", func(t *testing.T) {
		k := kit.Small()
		k.Devices = append(k.Devices[:1], kit.Device{Name: "Charger B", Channels: 5, SeriesMost: 8, ChargeAmps: 30,
			OwnEndPoint: true, GroupVolts: true, Isolated: true})
		if p := plan(t, box, k, ""); !p.Refused || codes(p)["too-many-groups"] != finding.Stop {
			t.Errorf("%+v %+v", p.Blocks(), p.Findings)
		}
		k.Devices = append(k.Devices, kit.Device{Name: "Load C", Channels: 1, SeriesMost: 8, LoadAmps: 30,
			OwnEndPoint: true, GroupVolts: true, Isolated: true})
		p := plan(t, box, k, "")
		if len(p.Blocks()) != 3 {
			t.Fatalf("%+v", p.Findings)
		}
		with := map[string]string{}
		for _, b := range p.Blocks() {
			with[b.Device] = b.Load
		}
		if with["Charger B"] != "Load C" {
			t.Errorf("%+v", p.Blocks())
		}
	})
}

// A plan for one station asks no more than that station can do, whatever else stands on the bench.
func TestAPlanForOneStation(t *testing.T) {
	k := kit.Small()
	k.Devices[2] = kit.Device{Name: "Load C", Channels: 1, SeriesMost: 16, LoadAmps: 30, LoadWatts: 3000,
		OwnEndPoint: true, GroupVolts: true}
	for _, at := range k.Stations() {
		p, err := testplan.On(module(), k, at)
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range p.Steps {
			d, most := at.Charger, at.Charger.ChargeAmps
			if s.Kind == "discharge" {
				d, most = at.Load, at.Load.LoadAmps
			}
			if s.Kind != "rest" && (s.Device != d.Name || s.Amps > most+1e-9) {
				t.Errorf("%s on %s at %.1f A", s.Kind, s.Device, s.Amps)
			}
		}
	}
	m := module()
	m.Series, m.Volts = 14, nil
	p, err := testplan.On(m, kit.Small(), kit.Small().Stations()[0])
	if err != nil || !p.Refused || codes(p)["too-many-groups"] != finding.Stop {
		t.Errorf("%v %+v", err, p.Findings)
	}
}

// The hard stop of a charge is worked out from the least that the module may hold by its volts; on a plateau, and where
// nothing is known, that is far less than what is likely.
func TestTheTimeOfAChargeIsAnInterval(t *testing.T) {
	lfp, _ := chem.Lookup(chem.LFP)
	m := testplan.Module{Name: "K", Chemistry: chem.LFP, Series: 4, Ah: 100, Monitored: true,
		Volts: []float64{3.295, 3.296, 3.297, 3.295}, AccuracyV: 0.002, RestMinutes: 60}
	soc := lfp.Curve.SoCInterval(3.295, 0.012)
	amps := 20.0
	hours := func(missing float64) float64 {
		return max(0, missing-0.03)*100/amps + math.Min(missing, 0.03)*100/(0.4*amps)
	}
	for _, c := range []struct {
		name        string
		change      func(*testplan.Module)
		most, least float64
	}{
		{"on the plateau", func(*testplan.Module) {}, hours(1 - soc.Low), hours(1 - soc.High)},
		{"never surveyed", func(m *testplan.Module) { m.Volts = nil }, hours(1), hours(0)},
	} {
		t.Run(c.name, func(t *testing.T) {
			x := m
			c.change(&x)
			s := plan(t, x, kit.Small(), "Cycler A").Steps[0]
			if math.Abs(s.MostHours-c.most) > 1e-9 || math.Abs(s.PresentHours-c.least) > 1e-9 ||
				math.Abs(s.HardStopHours()-1.2*c.most) > 1e-9 || s.Hours > s.MostHours || s.Hours < s.PresentHours {
				t.Errorf("%+v, expected %.2f to %.2f h", s, c.least, c.most)
			}
		})
	}
}
