package layout_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/module/layout"
)

func TestPlateDoubts(t *testing.T) {
	cases := []struct {
		name  string
		p     layout.Plate
		field string // "" for none
	}{
		{"seven groups at 25.6 V", layout.Plate{Chemistry: chem.NMC, Series: 7, Volts: 25.6}, ""},
		{"four groups of LFP at 12.8 V", layout.Plate{Chemistry: chem.LFP, Series: 4, Volts: 12.8}, ""},
		{"four groups at 48 V", layout.Plate{Chemistry: chem.LFP, Series: 4, Volts: 48}, "plate_volts"},
		{"41 groups at 22 V", layout.Plate{Chemistry: chem.NMC, Series: 41, Volts: 22}, "plate_volts"},
		{"no count, 7.5 V of LMO", layout.Plate{Chemistry: chem.LMO, Volts: 7.5}, ""},
		{"no count, 5.4 V of NMC", layout.Plate{Chemistry: chem.NMC, Volts: 5.4}, "plate_volts"},
		{"tabs and Ah agree", layout.Plate{Chemistry: chem.NMC, RatedAh: 46, TabsSeen: 4, CellAh: 11.5}, ""},
		{"tabs and Ah disagree", layout.Plate{Chemistry: chem.NMC, RatedAh: 46, TabsSeen: 3, CellAh: 11.5},
			"tabs_seen"},
		{"mass disagrees", layout.Plate{Chemistry: chem.NMC, Series: 7, RatedAh: 46, TabsSeen: 4, ModuleKg: 12,
			CellKg: 0.85}, "tabs_seen"},
		{"lighter than a cell", layout.Plate{ModuleKg: 0.3, CellKg: 0.85}, "module_kg"},
		{"nothing known", layout.Plate{}, ""},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got := layout.PlateDoubts(c.p)
			if c.field == "" && len(got) > 0 || c.field != "" && (len(got) == 0 || got[0].Field != c.field) {
				t.Errorf("%+v", got)
			}
		})
	}
}
