package bms_test

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

func ExampleChoose() {
	cs, _ := bms.Choose(bms.Need{Groups: 16, Chemistry: chem.LFP, LoadAmps: 30, ChargeAmps: 25, CapacityAh: 170,
		FreezesHere: true}, bms.Catalogue())
	fmt.Println(cs[0].Device.Name, cs[0].Refused)
	// Output: T16-60 false
}

func choice(t *testing.T, n bms.Need, name string) bms.Choice {
	t.Helper()
	cs, err := bms.Choose(n, bms.Catalogue())
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(cs, func(c bms.Choice) bool { return c.Device.Name == name })
	return cs[i]
}

func TestReasons(t *testing.T) {
	base := bms.Need{Groups: 4, Chemistry: chem.LFP, LoadAmps: 20, ChargeAmps: 10, CapacityAh: 100}
	with := func(f func(*bms.Need)) bms.Need { n := base; f(&n); return n }
	cases := []struct {
		name, device, code string
		need               bms.Need
		refused            bool
	}{
		{"fits", "T4-60", "fits", base, false},
		{"too many groups", "T4-60", "groups", with(func(n *bms.Need) { n.Groups = 7 }), true},
		{"too few groups", "T16-60", "groups", base, true},
		{"wrong chemistry", "T4-60", "chemistry", with(func(n *bms.Need) { n.Chemistry = chem.NMC }), true},
		{"current with its factor", "T4-60", "continuous-current", with(func(n *bms.Need) { n.LoadAmps = 50 }), true},
		{"surge", "T4-60", "peak-current", with(func(n *bms.Need) { n.PeakAmps = 130 }), true},
		{"charger too strong", "T4-60", "charge-current", with(func(n *bms.Need) { n.ChargeAmps = 40 }), true},
		{"frost", "T4-60", "no-frost-cutoff", with(func(n *bms.Need) { n.FreezesHere = true }), true},
		{"one sensor", "T4-60", "few-sensors", base, false},
		{"weak balancer", "T4-60", "weak-balancer", with(func(n *bms.Need) { n.DriftAhDay = 1 }), false},
		{"relay on a small bank", "R8-300", "idle-draw", base, false},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got := choice(t, c.need, c.device)
			if got.Refused != c.refused || !slices.ContainsFunc(got.Findings,
				func(f finding.Finding) bool { return f.Code == c.code && f.Do != "" }) {
				t.Errorf("%s: refused %v, %+v", c.name, got.Refused, got.Findings)
			}
		})
	}
}

func TestRefusedComeLast(t *testing.T) {
	cs, _ := bms.Choose(bms.Need{Groups: 14, Chemistry: chem.NMC, LoadAmps: 100}, bms.Catalogue())
	refused := false
	for _, c := range cs {
		if refused && !c.Refused {
			t.Error("a device that fits is listed behind a refused one")
		}
		refused = c.Refused
	}
}

// The sheet's voltages must stand in the only order in which nothing trips in normal use.
func TestSettingsOrder(t *testing.T) {
	for _, c := range chem.All() {
		n := 16
		if c.ID == chem.LTO {
			n = 20
		}
		setting := float64(n) * c.Settings.ChargerVolts
		rows, err := bms.Settings(bms.Catalogue()[3], bms.Plan{Groups: n, Chemistry: c.ID, CapacityAh: 170,
			LoadAmps: 30, ChargeSettingVolts: setting, TripVolts: float64(n) * c.Settings.OverVolts})
		if err != nil {
			t.Fatal(err)
		}
		value := func(name string) float64 {
			for _, r := range rows {
				if r.Name == name {
					v, err := strconv.ParseFloat(r.Value, 64)
					if err != nil {
						t.Fatal(err)
					}
					return v
				}
			}
			t.Fatalf("no setting %q", name)
			return 0
		}
		order := []float64{c.FloorVolts, value("Group under-voltage"), value("Balance start"),
			value("Charger, pack") / float64(n), value("Group over-voltage"), c.ChargeLimitVolts + 0.0001}
		for i := 1; i < len(order); i++ {
			if order[i] <= order[i-1] {
				t.Errorf("%s: %v is not ascending at %d", c.ID, order, i)
			}
		}
		if v := value("Capacity"); v != 170 {
			t.Errorf("capacity %v", v)
		}
		for _, r := range rows {
			if r.Why == "" || r.Range == "" || strings.Contains(r.Value, "%!") {
				t.Errorf("row %+v", r)
			}
		}
	}
}

func TestUnusable(t *testing.T) {
	if _, err := bms.Choose(bms.Need{Chemistry: chem.LFP}, nil); err == nil {
		t.Error("no groups")
	}
	if _, err := bms.Choose(bms.Need{Groups: 4, Chemistry: "lead"}, nil); err == nil {
		t.Error("no chemistry")
	}
	if _, err := bms.Settings(bms.Device{}, bms.Plan{Groups: 4, Chemistry: chem.LFP, CapacityAh: -1}); err == nil {
		t.Error("no capacity")
	}
}

// Boards along a string add up to its groups, each within its range, ending where modules meet wherever they can.
func TestBoardsAddUp(t *testing.T) {
	for _, c := range []struct {
		groups  int
		borders []int
		low     int
		high    int
		want    []int
	}{
		{16, nil, 7, 16, []int{16}},
		{28, []int{7, 14, 21}, 7, 16, []int{14, 14}},
		{21, []int{7, 14}, 4, 16, []int{7, 14}},
		{20, nil, 4, 16, []int{10, 10}},
		{48, []int{16, 32}, 6, 16, []int{16, 16, 16}},
		{17, nil, 9, 16, nil}, // two boards of nine are one too many
		{5, nil, 7, 16, nil},
	} {
		d := bms.Device{GroupsLow: c.low, GroupsHigh: c.high, Stackable: true}
		got := d.Boards(c.groups, c.borders)
		if len(got) != len(c.want) {
			t.Errorf("%d groups: %v, expected %v", c.groups, got, c.want)
			continue
		}
		sum := 0
		for i, n := range got {
			sum += n
			if n < c.low || n > c.high {
				t.Errorf("%d groups: a board of %d", c.groups, n)
			}
			if c.groups == 21 && !(sum == 7 || sum == 14 || sum == 21) {
				t.Errorf("21 groups: board %d ends inside of a module: %v", i+1, got)
			}
		}
		if len(got) > 0 && sum != c.groups {
			t.Errorf("%v are %d groups, not %d", got, sum, c.groups)
		}
	}
}

// What is not known of a device is said, and never taken for enough; what is known to be too little is refused.
func TestHalfKnownDevices(t *testing.T) {
	need := bms.Need{Groups: 12, Chemistry: "nmc", LoadAmps: 40, PeakAmps: 90, ChargeAmps: 20, CapacityAh: 60}
	judge := func(d bms.Device) bms.Choice {
		cs, err := bms.Choose(need, []bms.Device{d})
		if err != nil {
			t.Fatal(err)
		}
		return cs[0]
	}
	half := bms.Device{Name: "half", GroupsLow: 7, GroupsHigh: 16, Switch: bms.Transistor, FrostUnknown: true,
		SensorsUnknown: true, WakeUnknown: true}
	c := judge(half)
	if c.Refused {
		t.Fatalf("%+v", c.Findings)
	}
	said := map[string]bool{}
	for _, f := range c.Findings {
		said[f.Code] = true
	}
	for _, code := range []string{"continuous-unknown", "peak-unknown", "charge-unknown", "frost-unknown",
		"sensors-unknown"} {
		if !said[code] {
			t.Errorf("nothing is said of %s", code)
		}
	}
	half.ContinuousAmps = 45 // 1.25 × 40 A is more
	if !judge(half).Refused {
		t.Error("45 A for a design current of 50 A")
	}
	need.FreezesHere = true
	half.ContinuousAmps = 100
	if !judge(half).Refused {
		t.Error("whether it stops in frost is not known, and it freezes there")
	}
	if text := bms.Wanted(need); text == "" {
		t.Error("nothing is said of what would fit")
	}
}

// A board takes as few groups as its least and as many as its most, and no others.
func TestABoardTakesItsLeastAndItsMost(t *testing.T) {
	d := bms.Catalogue()[0]
	d.GroupsLow, d.GroupsHigh, d.Stackable = 7, 16, false
	for _, c := range []struct {
		groups int
		limit  float64 // 0 where it takes them
	}{{6, 7}, {7, 0}, {8, 0}, {16, 0}, {17, 16}} {
		cs, err := bms.Choose(bms.Need{Groups: c.groups, Chemistry: chem.LFP, LoadAmps: 10, ChargeAmps: 5,
			CapacityAh: 100},
			[]bms.Device{d})
		if err != nil {
			t.Fatal(err)
		}
		k := slices.IndexFunc(cs[0].Findings, func(f finding.Finding) bool { return f.Code == "groups" })
		switch {
		case c.limit == 0 && k >= 0, c.limit > 0 && k < 0:
			t.Errorf("%d groups: %+v", c.groups, cs[0].Findings)
		case k >= 0 && *cs[0].Findings[k].Limit != c.limit:
			t.Errorf("%d groups against %v: expected %v", c.groups, *cs[0].Findings[k].Limit, c.limit)
		}
	}
	// A board for one group each is stacked, too.
	d.GroupsLow, d.GroupsHigh, d.Stackable = 1, 1, true
	cs, err := bms.Choose(bms.Need{Groups: 3, Chemistry: chem.LFP, LoadAmps: 10, ChargeAmps: 5, CapacityAh: 100},
		[]bms.Device{d})
	if err != nil || len(cs[0].Boards) != 3 {
		t.Errorf("%+v %v", cs[0].Boards, err)
	}
}
