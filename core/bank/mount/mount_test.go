package mount_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"pandrel/core/bank/mount"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

func ExampleMount_Fastener() {
	fmt.Println(mount.Mount{Post: mount.Screw, ThreadMM: 8, HoleMM: 14, Metal: "brass"}.Fastener())
	fmt.Println(mount.Mount{Post: mount.Stud, ThreadMM: 6}.Fastener())
	// Output:
	// M8 screw, 14 mm deep in brass: as long as what is stacked and 12 to 13 mm more
	// M6 stud
}

// A screw holds by its diameter in steel, by one and a half in brass and aluminium and where nobody knows; its tip
// stays clear of the bottom.
func TestAHoleIsDeepEnough(t *testing.T) {
	for name, x := range map[string]struct {
		m     mount.Mount
		limit float64 // 0 for deep enough
	}{
		"steel, just":        {mount.Mount{Post: mount.Screw, ThreadMM: 8, HoleMM: 9, Metal: "steel"}, 0},
		"steel, too shallow": {mount.Mount{Post: mount.Screw, ThreadMM: 8, HoleMM: 8.9, Metal: "steel"}, 9},
		"brass":              {mount.Mount{Post: mount.Screw, ThreadMM: 8, HoleMM: 12.5, Metal: "brass"}, 13},
		"metal not known":    {mount.Mount{Post: mount.Screw, ThreadMM: 6, HoleMM: 9.5}, 10},
		"depth not known":    {mount.Mount{Post: mount.Screw, ThreadMM: 6, Metal: "steel"}, 0},
		"a stud":             {mount.Mount{Post: mount.Stud, ThreadMM: 8, HoleMM: 2}, 0},
	} {
		fs := x.m.Findings("T")
		if x.limit == 0 {
			findingtest.Lacks(t, fs, "hole-too-shallow")
			continue
		}
		t.Run(name, func(t *testing.T) {
			findingtest.Holds(t, fs, "hole-too-shallow", finding.Stop, x.m.HoleMM, x.limit, "mm")
		})
	}
}

// Pouches wait for the force that presses them; nobody else does.
func TestPouchesArePressed(t *testing.T) {
	none := findingtest.None
	findingtest.Holds(t, mount.Mount{Cells: mount.Pouch}.Findings("T"), "pouches-not-pressed", finding.Stop, none,
		none, "")
	findingtest.Lacks(t, mount.Mount{Cells: mount.Pouch, PressKN: 2.5}.Findings("T"), "pouches-not-pressed")
	findingtest.Lacks(t, mount.Mount{Cells: mount.Hard}.Findings("T"), "pouches-not-pressed")
	findingtest.Lacks(t, mount.Mount{}.Findings("T"), "pouches-not-pressed")
	if got := (mount.Mount{PressKN: 2.5, Held: "four rods"}).Presses(); got != "2.5 kN over the whole stack, "+
		"even; four rods" {
		t.Errorf("%q", got)
	}
}

func TestWhatCannotBeIsRefused(t *testing.T) {
	for field, m := range map[string]mount.Mount{"post": {Post: "glue"}, "metal": {Metal: "tin"},
		"cells":     {Cells: "flat"},
		"thread_mm": {ThreadMM: 0.4}, "hole_mm": {HoleMM: math.NaN()}, "torque_nm": {TorqueNm: -1},
		"press_kn": {PressKN: math.Inf(1)}, "held": {Held: strings.Repeat("x", 121)}} {
		if got, text := m.Check(); got != field || text == "" {
			t.Errorf("%+v: %q %q, expected %q", m, got, text, field)
		}
	}
	if field, _ := (mount.Mount{Post: mount.Bolt, ThreadMM: 8, TorqueNm: 9}).Check(); field != "" {
		t.Errorf("%q: expected nothing against it", field)
	}
}
