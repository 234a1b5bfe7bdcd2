package demo

import (
	"math"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/procedure/standing"
	"pandrel/core/test/kind"
	"pandrel/core/trainer/virtual"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/start"
	"pandrel/shop/steps"
	"pandrel/shop/test"
	"pandrel/shop/types"
)

// halfKnown fills in what people bring who have half of what a desk would ask for: a standing bank of unknown make,
// loose cells that nobody tested, modules of which two were tested and one by halves, a pack that is kept whole.
func (h *hall) halfKnown(day func(ago, hour int)) {
	day(2, 9)
	h.kiosk()
	h.roofStore()
	h.ownDevice()
	day(1, 14)
	h.bellTower()
	h.halves()
}

// groupVolts are the rest voltages of a simulated string, as a meter with three decimals reads them.
func (h *hall) groupVolts(spec virtual.Spec, spoil func(m *virtual.Module)) (out []float64) {
	m := virtual.New(h.rng, "string", spec)
	if spoil != nil {
		spoil(&m)
	}
	for _, v := range m.RestVolts() {
		out = append(out, math.Round(v*1000)/1000)
	}
	return out
}

// kiosk is the ferry kiosk's standing bank: eight groups, one of them behind, capacity tested twice.
func (h *hall) kiosk() {
	volts := h.groupVolts(virtual.Spec{Chemistry: chem.LFP, Series: 8, RatedAh: 100, SoH: 0.9, CapacitySpread: 0.01,
		SoC: 0.86, SoCSpread: 0.004, ResistanceOhms: 0.0012}, func(m *virtual.Module) { m.Groups[5].SoC = 0.17 })
	h.afterwards(func() { h.keepKiosk(volts) })
}

func (h *hall) keepKiosk(volts []float64) {
	var id int64
	h.do(func() error {
		row, err := h.s.Procedure.SaveStanding(h.ctx, procedure.StandingInput{Name: "Ferry kiosk", Owner: "Ferry kiosk",
			Token: h.token(), Bank: standing.Bank{Strings: 1, Plug: true},
			Cells:  standing.Cells{Series: 8, Chemistry: chem.LFP, Ah: 100, Made: "by somebody else, type unknown"},
			Survey: &procedure.StandingReadings{Volts: volts, Instrument: instrument, Accuracy: 0.004, Rest: 120}})
		id = row.ID
		return err
	})
	for _, t := range []whole.Test{{CapacityAh: 71.4, Amps: 20, FromFull: true, EndedBy: 6, EndVolts: 2.5},
		{CapacityAh: 88.9, Amps: 20, FromFull: true, EndedBy: 3, EndVolts: 2.5}} {
		h.do(func() error {
			_, err := h.s.Procedure.RecordBankTest(h.ctx, id, t, h.token())
			return err
		})
	}
}

// roofStore is a sweeper pack that is kept whole for the hall's own roof, above 60 V.
func (h *hall) roofStore() {
	volts := h.groupVolts(virtual.Spec{Chemistry: chem.LMO, Series: 24, RatedAh: 96, SoH: 0.82, CapacitySpread: 0.01,
		SoC: 0.55, SoCSpread: 0.004, ResistanceOhms: 0.001}, nil)
	h.afterwards(func() { h.keepRoofStore(volts) })
}

func (h *hall) keepRoofStore(volts []float64) {
	var id int64
	h.do(func() error {
		row, err := h.s.Procedure.SaveStanding(h.ctx, procedure.StandingInput{Name: "Roof store",
			Note: "a sweeper pack, kept whole", Token: h.token(), Bank: standing.Bank{Strings: 1, Plug: true,
				Solar: true}, Cells: standing.Cells{Series: 24, Chemistry: chem.LMO, Ah: 96, BMS: "two boards of " +
				"twelve and a relay", Opens: standing.OpensYes}, Survey: &procedure.StandingReadings{Volts: volts,
				Instrument: instrument, Accuracy: 0.004, Rest: 600}})
		id = row.ID
		return err
	})
	for _, in := range []steps.Input{{Step: "owner", Confirm: true}, {Step: "licensed", Name: "R. Brandt"}} {
		h.do(func() error {
			in.Token = h.token()
			_, err := h.s.Procedure.RecordStep(h.ctx, procedure.Standing, id, in)
			return err
		})
	}
}

// ownDevice is a BMS from half of a data sheet.
func (h *hall) ownDevice() {
	h.do(func() error {
		_, err := h.s.Bank.SaveDevice(kernel.
			By(h.ctx, "RB"), bank.DeviceInput{Device: bms.Device{Name: "shelf 7 to 16", GroupsLow: 7, GroupsHigh: 16,
			Switch: bms.Transistor, ContinuousAmps: 80, BalanceAmps: 0.1, FrostUnknown: true, SensorsUnknown: true,
			WakeUnknown: true}, Note: "half of its data sheet is lost", Token: h.token()})
		return err
	})
}

// bellTower is sixteen loose cells of a floor scrubber, 105 Ah by their label and never tested, looked at and surveyed.
func (h *hall) bellTower() {
	spec := virtual.Spec{Chemistry: chem.LFP, Series: 1, RatedAh: 105, SoH: 0.84, CapacitySpread: 0.02, SoC: 0.6,
		SoCSpread: 0.01, ResistanceOhms: 0.0009}
	var made start.Made
	h.do(func() error {
		var err error
		made, err = h.s.Start.Begin(kernel.
			By(h.ctx, "RB"), start.Input{New: types.NewInput{Name: "Scrubber cell", Chemistry: "lfp",
			RatedAh: 105, Series: 1, Posts: 2}, Count: 16, Stem: "C", Class: 48, For: "Bell tower", Token: h.token()})
		return err
	})
	h.truth(made, spec, virtual.Face{"A-": 0, "A+": 1})
	for _, m := range made.Modules {
		h.look(m.Number)
		h.survey(m.Number, nil)
	}
	h.do(func() error {
		_, err := h.s.Bank.DesignBank(kernel.By(h.ctx, "RB"), bank.DesignInput{BankID: made.Bank.ID, Version: needed,
			Key: "Scrubber cell|16|1|all", Style: "parallel-first", Token: h.token()})
		return err
	})
}

// truth draws the hidden truth of modules that were begun with.
func (h *hall) truth(made start.Made, spec virtual.Spec, face virtual.Face) {
	for _, m := range made.Modules {
		v := virtual.New(h.rng, m.Number, spec)
		h.mods[m.Number], h.faces[m.Number] = &v, face
	}
}

// halves are six modules of an earlier trike, 'about 60 Ah': two tested, one by halves.
func (h *hall) halves() {
	spec := virtual.Spec{Chemistry: chem.NMC, Series: 2, RatedAh: 60, SoH: 0.84, CapacitySpread: 0.02, SoC: 0.5,
		SoCSpread: 0.01, ResistanceOhms: 0.002}
	var made start.Made
	h.do(func() error {
		var err error
		made, err = h.s.Start.Begin(kernel.
			By(h.ctx, "RB"), start.Input{New: types.NewInput{Name: "TRIKE-2", Chemistry: "nmc",
			RatedAh: 60, Series: 2, Posts: 3}, Count: 6, Stem: "T", Token: h.token()})
		return err
	})
	h.truth(made, spec, virtual.Face{"A-": 0, "M": 1, "A+": 2})
	least := func(number string, from, to int) float64 {
		ah := math.Inf(1)
		for g := from; g <= to; g++ {
			ah = min(ah, h.mods[number].Groups[g-1].CapacityAh)
		}
		return math.Round(ah*10) / 10
	}
	for i, m := range made.Modules {
		h.look(m.Number)
		h.survey(m.Number, nil)
		switch i {
		case 0, 1:
			h.hand(test.TypedInput{Number: m.Number, Result: kind.Result{CapacityAh: least(m.Number, 1, 2)}})
		case 2:
			h.hand(test.TypedInput{Number: m.Number, FromGroup: 1, ToGroup: 1,
				Result: kind.Result{CapacityAh: least(m.Number, 1, 1)}})
		}
	}
}

// hand keeps a result typed by hand, from full to the floor.
func (h *hall) hand(in test.TypedInput) {
	h.do(func() error {
		in.FromFull, in.LowestEndVolts, in.Amps, in.Token = true, 3.0, 20, h.token()
		return h.s.Tests.RecordTyped(kernel.By(h.ctx, "RB"), in)
	})
}
