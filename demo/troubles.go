package demo

import (
	"fmt"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"pandrel/core/module/layout"
	"pandrel/core/module/lead"
	"pandrel/core/module/variant"
	"pandrel/core/trainer/virtual"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/receive"
	"pandrel/shop/steps"
	"pandrel/shop/types"
)

// spoiled probes pairs of points and types one reading wrong.
func (h *hall) spoiled(number string, pairs [][2]string, wrong int, by float64) {
	h.do(func() error {
		meter := virtual.NewMeter(h.rng, 0.0005, 0.001)
		var rs []layout.Reading
		for i, p := range pairs {
			v, err := h.mods[number].Probe(h.faces[number], p[0], p[1])
			if err != nil {
				return err
			}
			if i == wrong {
				v += by
			}
			rs = append(rs, layout.Reading{Red: p[0], Black: p[1], Volts: meter.Read(v), LastDigit: 0.001})
		}
		_, _, err := h.s.Measure.RecordProbes(kernel.By(h.ctx, "MO"), measure.ProbesInput{Number: number, Readings: rs,
			Instrument: instrument, Source: "typed", Token: h.token()})
		return err
	})
}

// loops maps two trikes again with one reading typed wrong each: with paths enough to convict it on K-121, in a
// single loop that cannot tell on K-120.
func (h *hall) loops() {
	chain := [][2]string{{"A+", "A-"}}
	for i := 2; i <= 9; i++ {
		chain = append(chain, [2]string{fmt.Sprintf("X%d", i), fmt.Sprintf("X%d", i-1)})
	}
	chain = append(chain, [2]string{"X1", "A-"}, [2]string{"X9", "A+"})
	h.spoiled("K-120", chain, 4, 0.4) // 3.2 for 3.6, and nothing else goes past it
	h.spoiled("K-121", append(chain, [2]string{"X5", "A-"}, [2]string{"X6", "A-"}, [2]string{"X7", "X3"},
		[2]string{"X5", "X3"}, [2]string{"X4", "A-"}), 4, 0.4)
}

// insides says how the trikes' cells are joined: all of it bolted, so that links can be moved.
func (h *hall) insides(trike int64) {
	h.do(func() error {
		b := variant.Bolted
		_, err := h.s.Types.SaveInside(h.ctx, trike, h.typeVersion(trike),
			variant.Told{Elements: 4, Joints: []string{b, b, b, b, b, b}, Across: b}, h.token())
		return err
	})
}

// twoPlugs writes down a lead that takes one module by two connectors.
func (h *hall) twoPlugs(tug int64) {
	h.do(func() error {
		a := lead.Lead{Inputs: 5, Mates: []lead.Mate{{Name: "3-pin plug", Points: []string{"T1", "T2", "T3"}},
			{Name: "2-pin plug", Points: []string{"T4", "T5"}}}}
		for i := range 5 {
			a.Wires = append(a.Wires, lead.Wire{Point: fmt.Sprintf("T%d", i+1), Input: i})
		}
		_, err := h.s.Measure.SaveLead(h.ctx, measure.LeadInput{Name: "4B", TypeID: tug, Spec: a,
			Note: "the loom came in two halves: both plugs go in", Token: h.token()})
		return err
	})
}

// knownResistor measures isolation with the meter alone and again with a known resistor across the positive side.
func (h *hall) knownResistor(number string, leakOhms, known float64) {
	h.leaks[number] = leakOhms
	h.do(func() error {
		pack := 0.0
		for _, v := range h.mods[number].RestVolts() {
			pack += v
		}
		both := 1 / (1/meterOhms + 1/known)
		in := isolation.Readings{PackVolts: pack, PositiveVolts: pack * meterOhms / (meterOhms + leakOhms),
			MeterOhms: meterOhms, MeterAccuracyVolts: 0.01, KnownOhms: known,
			KnownVolts: pack * both / (both + leakOhms)}
		_, _, err := h.s.Measure.RecordIsolation(kernel.
			By(h.ctx, "MO"), measure.IsolationInput{Number: number, Token: h.token(), Readings: in})
		return err
	})
}

// twoStrings is a type whose case holds two strings that nothing joins, and one module of it that was probed.
func (h *hall) twoStrings(lot int64) {
	t := h.typ(types.TypeInput{Name: "SWEEP-2X2", Chemistry: "lmo", RatedAh: 48, PlateSeries: 2, Posts: "U- U+ V- V+",
		Note: "Two strings in one case; nothing joins them until a bar does"})
	face := virtual.Face{"U-": 0, "U+": 2}
	h.receive(lot, t, "K-251", 1, virtual.Spec{Chemistry: chem.LMO, Series: 2, RatedAh: 48, SoH: 0.8, SoC: 0.42,
		ResistanceOhms: 0.0018}, face)
	h.look("K-251")
	h.do(func() error {
		v := 0.0
		for _, x := range h.mods["K-251"].RestVolts() {
			v += x
		}
		meter := virtual.NewMeter(h.rng, 0.0005, 0.001)
		read := func(red, black string, volts float64) layout.Reading {
			return layout.Reading{Red: red, Black: black, Volts: meter.Read(volts), LastDigit: 0.001}
		}
		rs := []layout.Reading{read("U+", "U-", v), read("V+", "V-", v-0.012), read("V-", "U-", 0.002),
			read("V+", "U-", 0.003), read("V+", "U+", 0.001), read("V-", "U+", -0.002)}
		_, _, err := h.s.Measure.RecordProbes(h.ctx, measure.ProbesInput{Number: "K-251", Readings: rs,
			Instrument: instrument, Source: "typed", Token: h.token()})
		return err
	})
}

// histories writes down what the sellers said when they were asked.
func (h *hall) histories() {
	say := func(number, history, note string) {
		h.do(func() error {
			return h.s.Receive.SaveHistory(h.ctx, receive.HistoryInput{Number: number, History: history, Note: note,
				Token: h.token()})
		})
	}
	say("K-101", "clean", "fleet register of the trikes, by telephone")
	say("K-124", "crash", "frame bent at the rear; module from the front")
	say("K-212", "unknown", "the yard cannot say which sweepers stood in the flood hall")
}

// overridden is a step that went on with a reason in writing.
func overridden() steps.Input {
	return steps.Input{Step: "current", Reading: finding.Of(0.8),
		Override: "The pump controller sleeps at 0.8 A and cannot be switched off; AK and RB watched it"}
}
