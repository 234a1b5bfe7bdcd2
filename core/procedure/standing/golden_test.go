package standing_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/procedure/standing"
	"pandrel/golden"
)

type word string

func TestWhereStandingBanksChange(t *testing.T) {
	b := standing.Bank{NominalVolts: 51.2, FullVolts: 58.4, Strings: 2, Solar: true, Mains: true, Plug: true,
		ServicePlug: true, FloorVolts: 40, CapacitanceMF: 20, PrechargeOhms: 33,
		Beside: []standing.Other{{Name: "shed", Key: "joined-2"}}}
	wet := standing.Bank{NominalVolts: 25.6, FullVolts: 29.2, WetPlace: true, FloorVolts: 20, Strings: 1}
	golden.Judged(t, "bank", []golden.Case[standing.Bank]{{Name: "48 V", In: b}, {Name: "24 V in a wet place", In: wet},
		{Name: "100 V", In: standing.Bank{NominalVolts: 90, FullVolts: 100, Strings: 1, FloorVolts: 70}}},
		func(b standing.Bank) (any, error) {
			field, text := b.Check()
			if b.Strings > 100 {
				return []any{word(field), text}, nil
			}
			return []any{word(field), text, b.TouchVolts(), b.WaitMinutes(), b.PrechargeSeconds(), b.Findings(),
				standing.Down(b, 52.1), standing.Up(b, 52.1), len(standing.Down(b, 0)), len(standing.Up(b, 0))}, nil
		})
	c := standing.Cells{Series: 14, Chemistry: chem.NMC, Ah: 80, BMS: "T16", Opens: "yes", Made: "here"}
	golden.Judged(t, "cells", []golden.Case[standing.Cells]{{Name: "known", In: c, Words: true}, {Name: "nothing",
		Words: true}}, func(c standing.Cells) (any, error) {
		field, text := c.Check()
		nominal, full := c.Volts(51)
		return []any{word(field), text, c.Known(), nominal, full, c.String(), word(c.Contradicts(26.5))}, nil
	})
	var holds []any
	for _, v := range []float64{3.7, 1.9, 4.25, 3.1} {
		for _, bms := range []string{"T16", ""} {
			for _, twice := range []bool{false, true} {
				x := c
				x.BMS = bms
				fs := standing.Holds(x, every(read(t, v, twice)), nil)
				holds = append(holds, v, bms, fs, standing.OfGroups(fs), standing.Told(fs))
			}
		}
	}
	unknown := c
	unknown.Chemistry, unknown.BMS, unknown.Opens = "", "", ""
	holds = append(holds, standing.Holds(unknown, nil, nil),
		standing.Holds(unknown, every(read(t, 3.7, false)), nil))
	golden.Same(t, "holds", golden.Text(holds))
}
