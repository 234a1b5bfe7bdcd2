package plate_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/module/plate"
)

func TestDoubts(t *testing.T) {
	cases := []struct {
		name  string
		p     plate.Plate
		field string // "" for none
	}{
		{"seven groups at 25.6 V", plate.Plate{Chemistry: chem.NMC, Series: 7, Volts: 25.6}, ""},
		{"four groups of LFP at 12.8 V", plate.Plate{Chemistry: chem.LFP, Series: 4, Volts: 12.8}, ""},
		{"four groups at 48 V", plate.Plate{Chemistry: chem.LFP, Series: 4, Volts: 48}, "plate_volts"},
		{"41 groups at 22 V", plate.Plate{Chemistry: chem.NMC, Series: 41, Volts: 22}, "plate_volts"},
		{"no count, 7.5 V of LMO", plate.Plate{Chemistry: chem.LMO, Volts: 7.5}, ""},
		{"no count, 5.4 V of NMC", plate.Plate{Chemistry: chem.NMC, Volts: 5.4}, "plate_volts"},
		{"tabs and Ah agree", plate.Plate{Chemistry: chem.NMC, RatedAh: 46, TabsSeen: 4, CellAh: 11.5}, ""},
		{"tabs and Ah disagree", plate.Plate{Chemistry: chem.NMC, RatedAh: 46, TabsSeen: 3, CellAh: 11.5}, "tabs_seen"},
		{"mass disagrees", plate.Plate{Chemistry: chem.NMC, Series: 7, RatedAh: 46, TabsSeen: 4, ModuleKg: 12,
			CellKg: 0.85}, "tabs_seen"},
		{"lighter than a cell", plate.Plate{ModuleKg: 0.3, CellKg: 0.85}, "module_kg"},
		{"nothing known", plate.Plate{}, ""},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got := plate.Doubts(c.p)
			if c.field == "" && len(got) > 0 || c.field != "" && (len(got) == 0 || got[0].Field != c.field) {
				t.Errorf("%+v", got)
			}
		})
	}
}

func TestParallelCount(t *testing.T) {
	cases := []struct {
		name string
		e    plate.Evidence
		want int
	}{
		{"rated Ah", plate.Evidence{GroupAh: 46, CellAh: 11.5}, 4},
		{"tabs", plate.Evidence{TabsSeen: 3}, 3},
		{"mass", plate.Evidence{ModuleKg: 11.2, CellKg: 0.4, Series: 7}, 4},
		{"not whole", plate.Evidence{GroupAh: 46, CellAh: 13}, 0},
		{"nothing known", plate.Evidence{}, 0},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			n, how, err := plate.Parallel(c.e)
			if n != c.want || (err == nil) != (c.want > 0) || (err == nil) != (how != "") {
				t.Errorf("%s: %d, %q, %v", c.name, n, how, err)
			}
		})
	}
}

// A module of 120 groups is the largest that is believed.
func TestAPlateOfManyGroups(t *testing.T) {
	for groups, taken := range map[int]bool{119: true, 120: true, 121: false} {
		if doubts := plate.Doubts(plate.Plate{Series: groups}); (len(doubts) == 0) != taken {
			t.Errorf("%d groups: %+v", groups, doubts)
		}
	}
}
