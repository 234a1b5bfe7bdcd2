// Package demo fills an empty workshop with the sample workshop: Quern Lane Repair Hall.
//
// Every value comes from simulated modules with a hidden truth, so that surveys, logs and grades
// of one module hang together. Dates are relative to the day the demo starts.
package demo

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"time"

	"pandrel/core/bank/change"
	"pandrel/core/bank/match"
	"pandrel/core/bank/mount"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/bench/kit"
	"pandrel/core/module/isolation"
	"pandrel/core/module/layout"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/pack"
	"pandrel/core/test/kind"
	"pandrel/core/trainer/virtual"
	"pandrel/shop"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/steps"
	"pandrel/shop/test"
	"pandrel/shop/types"
	"pandrel/store"
)

const instrument = "bench multimeter, 1 mV"

// hall is the workshop while it is being filled: its clock can be set.
type hall struct {
	later []func() // what is written down last, each at its own time
	ctx   context.Context
	s     *shop.Shop
	at    time.Time
	rng   *rand.Rand
	mods  map[string]*virtual.Module
	faces map[string]virtual.Face
	leaks map[string]float64
	n     int
	err   error
}

// Bench holds the hidden truth of the sample's modules, for the simulated meter.
type Bench struct {
	mods  map[string]*virtual.Module
	faces map[string]virtual.Face
	leaks map[string]float64 // ohms from the main negative to the case, for those that leak
}

// Touch returns the true voltage between two points of a module of the sample.
func (b *Bench) Touch(module, red, black string) (float64, bool) {
	if b == nil || b.mods[module] == nil {
		return 0, false
	}
	if red != isolation.CasePoint && black != isolation.CasePoint {
		v, err := b.mods[module].Probe(b.faces[module], red, black)
		return v, err == nil
	}
	// Against the case the meter's own resistance and the leak divide the voltage.
	face := virtual.Face{isolation.CasePoint: 0}
	for p, node := range b.faces[module] {
		face[p] = node
	}
	v, err := b.mods[module].Probe(face, red, black)
	ohms, leaks := b.leaks[module]
	if !leaks {
		return 0, err == nil
	}
	return v * meterOhms / (meterOhms + ohms), err == nil
}

// meterOhms is the input resistance of the simulated meter.
const meterOhms = 10e6

// Fill writes the sample workshop into st, as it would be at now. It is deterministic.
func Fill(ctx context.Context, st *store.Store, now time.Time) error {
	_, err := FillBench(ctx, st, now)
	return err
}

// FillBench is Fill, and returns the hidden truth of the modules.
func FillBench(ctx context.Context, st *store.Store, now time.Time) (*Bench, error) {
	h := &hall{ctx: kernel.
		By(ctx, "AK"), at: now, rng: rand.New(rand.NewPCG(20, 26)), mods: map[string]*virtual.Module{},
		faces: map[string]virtual.Face{}, leaks: map[string]float64{}}
	h.s = shop.New(st, func() time.Time { return h.at })
	day := func(ago, hour int) {
		d := now.AddDate(0, 0, -ago)
		h.at = time.Date(d.Year(), d.Month(), d.Day(), hour, 10, 0, 0, now.Location())
		if h.at.After(now) {
			h.at = now
		}
	}
	day(60, 9)
	h.bench()
	h.tugs(day)
	h.trikes(day)
	h.sweeps(day)
	h.banks(day)
	day(1, 11)
	h.afterwards(h.ownersBank)
	h.halfKnown(day)
	for _, f := range h.later {
		f()
	}
	h.photographed()
	day(0, 7)
	h.lot(receive.LotInput{Supplier: "Hollin Field ground depot", Price: 640, Pallets: 1, PalletFreight: 95,
		PalletHolds: 16, Note: "Second pallet of baggage tug modules; not unloaded yet", Claims: "like the first ones"})
	return &Bench{h.mods, h.faces, h.leaks}, h.err
}

// bench writes down what stands on the hall's bench: the cycler with as many channels as the simulated one.
func (h *hall) bench() {
	k := kit.Small()
	k.Devices[0].Channels = 4
	h.do(func() error { return h.s.Bench.SaveKit(kernel.By(h.ctx, "MO"), k, h.token()) })
}

// TrikeFace is where the points of a TRIKE-7 lie inside.
func TrikeFace() virtual.Face {
	return virtual.Face{"A-": 0, "A+": 7, "X1": 0, "X2": 0, "X3": 1, "X4": 2, "X5": 3, "X6": 4, "X7": 5, "X8": 6,
		"X9": 7, "X10": 7}
}

// do keeps the first error and stops the rest.
func (h *hall) do(f func() error) {
	if h.err == nil {
		h.err = f()
		h.at = h.at.Add(3 * time.Minute)
	}
}

func (h *hall) token() string { h.n++; return fmt.Sprintf("demo-%04d", h.n) }

func (h *hall) lot(in receive.LotInput) (id int64) {
	h.do(func() error {
		in.ArrivedOn, in.Token = h.at.Format("2006-01-02"), h.token()
		l, err := h.s.Receive.SaveLot(h.ctx, in)
		id = l.ID
		return err
	})
	return id
}

func (h *hall) typ(in types.TypeInput) (id int64) {
	h.do(func() error {
		in.Token = h.token()
		t, err := h.s.Types.SaveType(h.ctx, in)
		id = t.ID
		return err
	})
	return id
}

// receive adds count modules and draws their hidden truth from spec.
func (h *hall) receive(lot, typ int64, first string, count int, spec virtual.Spec, face virtual.Face) []string {
	numbers, err := receive.Numbers(first, count)
	if h.err == nil {
		h.err = err
	}
	h.do(func() error {
		_, err := h.s.Receive.AddModules(h.ctx, receive.ModulesInput{LotID: lot, TypeID: typ, First: first,
			Count: count, PlateAh: spec.RatedAh, PlateNote: "plate read", Token: h.token()})
		return err
	})
	for _, n := range numbers {
		m := virtual.New(h.rng, n, spec)
		// A module's cells age together: most of the spread is between modules.
		k := 1 + 0.04*h.rng.NormFloat64()
		for i := range m.Groups {
			m.Groups[i].CapacityAh *= k
		}
		h.mods[n], h.faces[n] = &m, face
	}
	return numbers
}

func (h *hall) look(number string, signs ...string) {
	h.do(func() error {
		_, err := h.s.Receive.RecordInspection(kernel.
			By(h.ctx, "MO"), receive.InspectInput{Number: number, Signs: signs, Token: h.token()})
		return err
	})
}

// What becomes of a map: kept, accepted for the type, or for the module alone.
const (
	keep = iota
	forType
	forItself
)

// probe reads pairs of points with the meter and keeps them; as says what the map becomes.
func (h *hall) probe(number string, pairs [][2]string, as int) {
	h.do(func() error {
		meter := virtual.NewMeter(h.rng, 0.0005, 0.001)
		var rs []layout.Reading
		for _, p := range pairs {
			v, err := h.mods[number].Probe(h.faces[number], p[0], p[1])
			if err != nil {
				return err
			}
			rs = append(rs, layout.Reading{Red: p[0], Black: p[1], Volts: meter.Read(v), LastDigit: 0.001})
		}
		id, _, err := h.s.Measure.RecordProbes(h.ctx, measure.ProbesInput{Number: number, Readings: rs,
			Instrument: instrument, Source: "typed", Token: h.token()})
		if err != nil || as == keep {
			return err
		}
		_, err = h.s.Measure.AcceptLayout(h.ctx, id, as == forItself, h.token())
		return err
	})
}

// check reads what the quick check asks for. K-118 came with two pins of its connector exchanged.
func (h *hall) check(number string) {
	h.do(func() error {
		m, err := h.s.Module(h.ctx, number)
		if err != nil {
			return err
		}
		t, err := h.s.Type(h.ctx, m.TypeID)
		if err != nil {
			return err
		}
		plan, err := h.s.Measure.CheckPlan(h.ctx, t)
		if err != nil {
			return err
		}
		face := virtual.Face{}
		for p, node := range h.faces[number] {
			face[p] = node
		}
		if number == "K-118" {
			face["X4"], face["X6"] = face["X6"], face["X4"]
		}
		meter := virtual.NewMeter(h.rng, 0.0005, 0.001)
		in := measure.CheckInput{Number: number, Token: h.token()}
		for i, p := range plan {
			v, err := h.mods[number].Probe(face, p.Red, p.Black)
			if err != nil {
				return err
			}
			in.Volts = append(in.Volts, record.TypedVolts{Group: i, Volts: meter.Read(v)})
		}
		_, err = h.s.Measure.RecordCheck(kernel.By(h.ctx, "MO"), in)
		return err
	})
}

// isolation measures both ends against the case, which leaks through ohms from the negative end.
func (h *hall) isolation(number string, ohms float64) {
	h.leaks[number] = ohms
	h.do(func() error {
		pack := 0.0
		for _, v := range h.mods[number].RestVolts() {
			pack += v
		}
		// With the meter from plus to case the leak and the meter divide the voltage; from minus to
		// case nothing drives a
		//
		// current.
		_, _, err := h.s.Measure.RecordIsolation(kernel.
			By(h.ctx, "MO"), measure.IsolationInput{Number: number, Token: h.token(),
			Readings: isolation.Readings{PackVolts: pack,
				PositiveVolts: pack * meterOhms / (meterOhms + ohms), MeterOhms: meterOhms, MeterAccuracyVolts: 0.01}})
		return err
	})
}

// deadTap is the node of a module that no point reaches, 0 for none.
func (h *hall) deadTap(number string) int {
	reached := map[int]bool{}
	dead := false
	for _, node := range h.faces[number] {
		reached[node] = true
		dead = dead || node == virtual.Dead
	}
	if dead {
		for k := 1; k < len(h.mods[number].Groups); k++ {
			if !reached[k] {
				return k
			}
		}
	}
	return 0
}

// survey reads every group, with spoil applied to what is typed.
func (h *hall) survey(number string, spoil func(g int, v float64) float64) {
	h.do(func() error {
		meter := virtual.NewMeter(h.rng, 0.0004, 0.001)
		in := measure.SurveyInput{Number: number, Instrument: instrument, AccuracyVolts: 0.004, RestMinutes: 600,
			Token: h.token()}
		if number == "K-103" {
			in.Instrument = measure.MonitorInstrument
		}
		volts := h.mods[number].RestVolts()
		for i, v := range volts {
			if k := h.deadTap(number); k > 0 && (i == k-1 || i == k) { // no probe reaches between them
				if i == k-1 {
					both := meter.Read(v + volts[k])
					in.Readings = append(in.Readings, record.TypedVolts{Group: k, Volts: both,
						AsTyped: fmt.Sprintf("%.3f", both), Span: 2, Reason: "tap between them is dead"})
				}
				continue
			}
			r := meter.Read(v)
			if spoil != nil {
				r = spoil(i+1, r)
			}
			in.Readings = append(in.Readings, record.TypedVolts{Group: i + 1, Volts: r,
				AsTyped: strings.Replace(fmt.Sprintf("%.3f", r), ".", ",", 1)})
		}
		_, _, err := h.s.Measure.RecordSurvey(kernel.By(h.ctx, "MO"), in)
		return err
	})
}

// test charges to full, discharges and uploads the log.
func (h *hall) test(number string, amps, floor float64, d virtual.Dialect,
	cut func([]virtual.Sample) []virtual.Sample) {
	h.do(func() error {
		m := h.mods[number]
		kept := m.Clone()
		// A careful charge leaves small differences at the top.
		for i := range m.Groups {
			m.Groups[i].SoC = 1 - 0.004*h.rng.Float64()
		}
		log := m.Discharge(virtual.Test{Amps: amps, FloorVolts: floor, RestBefore: 2400, RestAfter: 2400,
			EverySecond: 10, AmbientC: 19 + 3*h.rng.Float64()})
		*m = kept
		if cut != nil {
			log = cut(log)
		}
		text := virtual.WriteLog(h.rng, log, d, h.at)
		_, _, err := h.s.Tests.RecordLog(kernel.By(h.ctx, "MO"), test.LogInput{Number: number,
			FileName: fmt.Sprintf("%s-discharge.csv", number), Data: text, FloorVolts: floor, Token: h.token()})
		return err
	})
}

// store brings a tested module to storage charge and surveys it again, as it must be before wiring.
func (h *hall) store(number string) {
	m := h.mods[number]
	for i := range m.Groups {
		m.Groups[i].SoC = 0.5 + 0.002*h.rng.NormFloat64()
	}
	h.survey(number, nil)
}

func (h *hall) grade(number string) {
	h.do(func() error {
		_, err := h.s.Grade.GradeModule(h.ctx, number, h.token())
		return err
	})
}

func num(prefix string, from, to int) []string {
	var out []string
	for i := from; i <= to; i++ {
		out = append(out, fmt.Sprintf("%s%03d", prefix, i))
	}
	return out
}

// tugs fills in the delivery of baggage tug modules.
//
// In one piece: the story of one delivery, in the order in which it happened.
func (h *hall) tugs(day func(ago, hour int)) {
	day(21, 9)
	t := h.typ(types.TypeInput{Name: "TUG-4", Chemistry: "lfp", RatedAh: 202, PlateSeries: 4, PlateVolts: 12.8,
		Posts: "P- P+", Pins: "T1 T2 T3 T4 T5", TabsSeen: 1, ModuleKg: 17.2, CellKg: 4.1,
		Note: "Two threaded posts, 5-pin tap connector"})
	h.placed(t, tugFace(), 172, map[string]string{"swelling": "Between the end plates, half way up",
		"posts": "Both threads, a clean bolt by hand"})
	h.sized(t, 380, 172, 215, "M8 stud, 14 mm", mount.Mount{Post: mount.Stud, ThreadMM: 8, TorqueNm: 9,
		Cells: mount.Hard, PressKN: 3, Held: "four rods between end plates"})
	lot := h.lot(receive.LotInput{Supplier: "Hollin Field ground depot", Price: 1480, Pallets: 2, PalletFreight: 95,
		PalletHolds: 16, Note: "Retired baggage tugs, modules taken out by the depot",
		Claims: "all above 88 % by the tug's own display", ClaimedSoHPct: 88})
	face := virtual.Face{"P-": 0, "P+": 4, "T1": 0, "T2": 1, "T3": 2, "T4": 3, "T5": 4}
	all := h.receive(lot, t, "K-001", 22, virtual.Spec{Chemistry: chem.LFP, Series: 4, RatedAh: 202, SoH: 0.86,
		CapacitySpread: 0.008, SoC: 0.52, SoCSpread: 0.01, ResistanceOhms: 0.00042}, face)
	if h.err != nil {
		return
	}
	h.mods["K-006"].Groups[2].SoC = 0.17        // a group out of family
	h.mods["K-009"].Groups[1].LeakageAmps = 0.2 // a leaking group
	h.mods["K-009"].Age(14)
	h.mods["K-011"].Groups[0].CapacityAh = 96 // a module of short capacity
	// mislabelled polarity
	h.faces["K-005"] = virtual.Face{"P-": 4, "P+": 0, "T1": 0, "T2": 1, "T3": 2, "T4": 3, "T5": 4}
	day(20, 10)
	for _, n := range all {
		if n == "K-013" {
			h.measure(n, 184.5, [][]byte{swollenPicture()}, "swollen")
			continue
		}
		h.look(n)
	}
	taps := [][2]string{{"P+", "P-"}, {"T1", "P-"}, {"T1", "P+"}, {"T2", "T1"}, {"T3", "T2"}, {"T4", "T3"},
		{"T5", "T4"}, {"T5", "P-"}, {"T3", "P-"}}
	day(20, 15)
	h.probe("K-001", taps, forType)
	h.probe("K-005", taps, forItself) // its label is wrong: wired by its own map
	h.joined(t)
	h.clips(t)
	h.twoPlugs(t)
	day(19, 9)
	for _, n := range all {
		switch n {
		case "K-013", "K-022": // quarantined; not surveyed yet
		case "K-020":
			h.survey(n, func(g int, v float64) float64 {
				if g == 3 {
					return v * 1000 // the decimal point forgotten
				}
				return v
			})
		default:
			h.survey(n, nil)
		}
	}
	dialects := []virtual.Dialect{virtual.PlainSeconds, virtual.ClockTabs}
	for i, n := range num("K-", 1, 18) {
		if n == "K-013" || n == "K-006" || n == "K-009" {
			continue
		}
		day(18-i/2, 8+i%2*5)
		h.test(n, 60, 2.5, dialects[i%2], nil)
	}
	day(8, 9)
	for _, n := range num("K-", 1, 16) {
		if n != "K-013" && n != "K-006" && n != "K-009" {
			h.store(n)
			h.grade(n)
		}
	}
}

// trikes fills in the delivery of cargo trike modules.
//
// In one piece: the story of one delivery, in the order in which it happened.
func (h *hall) trikes(day func(ago, hour int)) {
	day(13, 9)
	t := h.typ(types.TypeInput{Name: "TRIKE-7", Chemistry: "nmc", RatedAh: 46, PlateSeries: 7, PlateVolts: 25.6,
		Posts: "A- A+", Pins: "X1 X2 X3 X4 X5 X6 X7 X8 X9 X10", CellAh: 11.5,
		Note: "Two tab ends, 10-pin connector with doubled end pins"})
	h.placed(t, trikeFace(), 96, map[string]string{"swelling": "The long side without the connector",
		"sense": "Under the connector cover"})
	h.sized(t, 410, 96, 118, "tab, 20 × 2 mm, hole for M6", mount.Mount{Post: mount.Bolt, ThreadMM: 6, TorqueNm: 5,
		Cells: mount.Hard})
	lot := h.lot(receive.LotInput{Supplier: "Tannery Row parcel trikes", Price: 1120, Freight: 85,
		Note: "City parcel trikes, fleet renewed; modules came loose in a crate", Claims: "at least 80 %",
		ClaimedSoHPct: 80})
	face := TrikeFace()
	all := h.receive(lot, t, "K-101", 28, virtual.Spec{Chemistry: chem.NMC, Series: 7, RatedAh: 46, SoH: 0.84,
		CapacitySpread: 0.006, SoC: 0.58, SoCSpread: 0.004, ResistanceOhms: 0.0019}, face)
	if h.err != nil {
		return
	}
	h.mods["K-112"].Groups[4].SoC -= 0.13
	h.mods["K-117"].Groups[1].SoC = 0
	h.mods["K-119"].Groups[5].SoC -= 0.035
	h.mods["K-123"].Groups[1].LeakageAmps = 0.012 // a leaking group, found by the second survey
	day(12, 11)
	for _, n := range all {
		h.look(n)
	}
	h.mods["K-102"].Name = "K-102"
	h.faces["K-102"] = virtual.Face{"A-": 0, "A+": 7, "X1": 0, "X2": 0, "X3": 1, "X4": 2, "X5": virtual.Dead, "X6": 4,
		"X7": 5, "X8": 6, "X9": 7, "X10": 7}
	var chain [][2]string
	for i := 2; i <= 9; i++ {
		chain = append(chain, [2]string{fmt.Sprintf("X%d", i), fmt.Sprintf("X%d", i-1)})
	}
	pairs := append([][2]string{{"A+", "A-"}, {"X1", "A-"}}, chain...)
	pairs = append(pairs, [2]string{"X10", "A-"}, [2]string{"X9", "A+"}, [2]string{"X9", "A-"}, [2]string{"X1", "A+"},
		[2]string{"X5", "A-"}, [2]string{"X2", "A+"})
	day(12, 15)
	h.probe("K-101", pairs, forType)
	var dead [][2]string
	for _, p := range pairs {
		if p[0] != "X5" && p[1] != "X5" {
			dead = append(dead, p)
		}
	}
	dead = append(dead, [2]string{"X6", "X4"}, [2]string{"X5", "A-"}, [2]string{"X5", "X7"})
	h.probe("K-102", dead, keep)
	day(12, 17)
	for _, n := range []string{"K-103", "K-104", "K-118"} {
		h.check(n)
	}
	day(12, 18)
	h.opened(t)
	day(11, 9)
	for _, n := range num("K-", 101, 124) {
		h.survey(n, nil)
	}
	h.leads(t)
	for i, n := range num("K-", 101, 118) {
		if n == "K-112" || n == "K-117" {
			continue
		}
		day(10-i/2, 8+i%2*5)
		d := virtual.ClockTabs
		var cut func([]virtual.Sample) []virtual.Sample
		switch n {
		case "K-108": // the logger lost its lead
			cut = func(s []virtual.Sample) []virtual.Sample { return virtual.DropBetween(s, 6200, 7400) }
		case "K-115": // a logger without group voltages
			d = virtual.MinutesMilliamps
		}
		h.test(n, 14, 3.0, d, cut)
	}
	day(3, 9)
	for _, n := range num("K-", 101, 113) {
		if n != "K-108" && n != "K-112" {
			h.store(n)
			h.grade(n)
		}
	}
	day(4, 11)
	h.ownCurve(t)
	day(2, 9)
	h.screen("K-126", "K-127")
	day(2, 10)
	for _, n := range []string{"K-112", "K-117", "K-122", "K-123"} {
		h.mods[n].Age(9)
		h.survey(n, nil)
	}
	day(2, 11)
	h.loops()
	h.insides(t)
	day(2, 12)
	h.do(func() error {
		return h.s.Tests.RecordTyped(kernel.
			By(h.ctx, "MO"), test.TypedInput{Number: "K-119", Token: h.token(),
			Result: kind.Result{CapacityAh: 38.2, ResistanceMOhm: 15.4, Amps: 14, EndVolts: 21.4,
				LowestEndVolts: 3.01, FromFull: true, Note: "Read off the charger's display, no log"}})
	})
}

func (h *hall) sweeps(day func(ago, hour int)) {
	day(2, 14)
	t := h.typ(types.TypeInput{Name: "SWEEP-2", Chemistry: "lmo", RatedAh: 96, PlateSeries: 2, PlateVolts: 7.5,
		Posts: "P1 P2 P3", TabsSeen: 3, Note: "Three posts in a row; which is which is not marked"})
	h.placed(t, sweepFace(), 118, map[string]string{"wet": "Under the lid, at the lower edge", "sense": "–"})
	lot := h.lot(receive.LotInput{Supplier: "Municipal sweeper yard", Price: 420, Freight: 60,
		Note: "Street sweepers out of service; modules dusty, some with paste"})
	face := virtual.Face{"P1": 2, "P2": 0, "P3": 1}
	all := h.receive(lot, t, "K-201", 14, virtual.Spec{Chemistry: chem.LMO, Series: 2, RatedAh: 96, SoH: 0.8,
		CapacitySpread: 0.01, SoC: 0.4, SoCSpread: 0.01, ResistanceOhms: 0.0009}, face)
	if h.err != nil {
		return
	}
	h.pack(lot)
	day(1, 10)
	for i, n := range all[:8] {
		switch i {
		case 3:
			h.measure(n, 118.5, nil, "corroded")
		case 6:
			h.look(n, "wet")
		default:
			h.look(n)
		}
	}
	day(1, 15)
	h.isolation("K-201", 40e6)
	h.isolation("K-203", 2500)
	h.isolation("K-205", 300)
	h.knownResistor("K-206", 1.2e6, 4000)
	h.look("K-213", "burnt") // to the recycler, no part of it is used
	h.twoStrings(lot)
	h.histories()
	day(1, 16)
	h.probe("K-201", [][2]string{{"P1", "P2"}, {"P3", "P2"}, {"P1", "P3"}}, keep)
}

// The versions a bank goes through: a need, a design, a BMS, its parts, the plan that it is built by.
const (
	needed = iota + 1
	designed
	equipped
	rated
	drawn
)

// afterwards writes something down at this hour, but behind the banks that are built here: they are numbered first.
func (h *hall) afterwards(f func()) {
	at := h.at
	h.later = append(h.later, func() {
		h.at = at
		f()
	})
}

// pack is one that came whole with the sweepers: 16 modules of two groups, half way to its first lift.
func (h *hall) pack(lot int64) {
	volts := make([]float64, 16)
	for i := range volts {
		volts[i] = math.Round(10*(7.6+0.02*h.rng.NormFloat64())) / 10
	}
	h.afterwards(func() { h.packs(lot, volts) })
}

func (h *hall) packs(lot int64, volts []float64) {
	var id int64
	h.do(func() error {
		p, err := h.s.Procedure.SavePack(h.ctx, procedure.PackInput{Name: "S-1", LotID: lot,
			Pack: pack.Pack{Volts: volts, DisconnectAfter: 8, Fixed: []int{4}},
			Note: "Sweeper pack, came whole; bridge after module 4 is welded", Token: h.token()})
		id = p.ID
		return err
	})
	step := func(in steps.Input) {
		h.do(func() error {
			in.Token = h.token()
			_, err := h.s.Procedure.RecordStep(h.ctx, procedure.Pack, id, in)
			return err
		})
	}
	step(steps.Input{Step: "history", Confirm: true})
	step(steps.Input{Step: gates.Licensed, Name: "R. Brandt"})
	step(steps.Input{Step: gates.Person, Name: "Mio Oste"})
	for _, k := range []string{gates.Equipment, gates.Meter} {
		step(steps.Input{Step: k, Confirm: true})
	}
	step(steps.Input{Step: "lift-8", Reading: finding.Of(0.3)})
	h.do(func() error {
		_, err := h.s.Procedure.SavePack(h.ctx, procedure.PackInput{Name: "S-2", LotID: lot,
			Pack: pack.Pack{Volts: []float64{7.6, 7.6, 7.5, 7.6, 7.7, 7.6, 7.6, 7.5, 7.6, 7.6, 7.6, 7.5}},
			Note: "Second sweeper pack; its disconnect has not been found yet", Token: h.token()})
		return err
	})
	step(steps.Input{Step: "isolation-before", Case: &isolation.Readings{PackVolts: 60.8,
		PositiveVolts: 7.1, NegativeVolts: 4.9}})
}

// commission passes the gates of a bank in order.
func (h *hall) commission(id int64) {
	h.do(func() error {
		for range 20 {
			b, n, d, err := h.s.Bank.ByID(h.ctx, id)
			if err != nil {
				return err
			}
			w, err := h.s.Bank.PlanWiring(h.ctx, b, n, *d)
			if err != nil {
				return err
			}
			c, err := h.s.Procedure.CommissionOf(h.ctx, b, n, *d, w)
			if err != nil {
				return err
			}
			next := ""
			in := steps.Input{Token: h.token()}
			for _, st := range c.States {
				if st.Done {
					continue
				}
				next = st.Key
				worst := 4.2
				switch st.Ask {
				case gates.AskName:
					in.Name = "AK"
					if st.Key == "mains" {
						in.Name = "no mains here"
					}
				case gates.AskJoint:
					in.Reading, in.Other = &worst, finding.Of(30)
				case gates.AskReading:
					in.Reading = &worst
				default:
					in.Confirm = true
				}
				break
			}
			if next == "" {
				return nil
			}
			in.Step = next
			if _, err := h.s.Procedure.RecordStep(h.ctx, procedure.Bank, id, in); err != nil {
				return err
			}
		}
		return nil
	})
}

// banks fills in the banks.
//
// In one piece: the story of the banks, in the order in which it happened.
func (h *hall) banks(day func(ago, hour int)) {
	need := func(name, client string, n plan.Need) (b store.Bank) {
		h.do(func() error {
			var err error
			b, err = h.s.Bank.SaveNeed(h.ctx, bank.NeedInput{Name: name, Client: client, Need: n, Token: h.token()})
			return err
		})
		return b
	}
	design := func(b store.Bank, typ string, series, parallel int) {
		h.do(func() error {
			_, err := h.s.Bank.DesignBank(h.ctx, bank.DesignInput{BankID: b.ID, Version: needed, Type: typ,
				Series: series, Parallel: parallel, Style: match.ParallelFirst, Token: h.token()})
			return err
		})
	}
	choose := func(b store.Bank, bms string) {
		h.do(func() error { return h.s.Bank.ChooseBMS(h.ctx, b.ID, designed, bms, h.token()) })
	}
	parts := func(b store.Bank, p plan.Parts) {
		h.do(func() error { return h.s.Bank.SaveParts(h.ctx, b.ID, equipped, p, h.token()) })
	}
	sense := func(b store.Bank, spoil func(v []float64)) {
		h.do(func() error {
			row, n, d, err := h.s.Bank.ByID(h.ctx, b.ID)
			if err != nil {
				return err
			}
			w, err := h.s.Bank.PlanWiring(h.ctx, row, n, *d)
			if err != nil {
				return err
			}
			v := append([]float64(nil), w.Expected["B1"]...)
			if spoil != nil {
				spoil(v)
			}
			in := bank.SenseInput{BankID: b.ID, BMS: "B1", Instrument: instrument, Accuracy: 0.01, Token: h.token()}
			for i, x := range v {
				in.Volts = append(in.Volts, record.TypedVolts{Group: i, Volts: x, AsTyped: fmt.Sprintf("%.2f", x)})
			}
			in.TopToZero = &w.Expected["B1"][len(v)-1]
			_, err = h.s.Bank.RecordSense(h.ctx, in)
			return err
		})
	}
	day(3, 18)
	hut := need("River gauge hut", "River gauge hut",
		plan.Need{Need: window.Need{AbsMaxVolts: 32, ChargeMaxVolts: 29.4, CutoffVolts: 21, LoadWatts: 240,
			WantedKWh: 2.2, ChargeAmps: 15, PeakAmps: 40}, FreezesHere: true, FrostAsked: true})
	design(hut, "TRIKE-7", 7, 3)
	choose(hut, "T8-100")
	parts(hut, plan.Parts{FuseA: 60, FuseV: 58, FuseKA: 20, CableA: 110, BondA: 60, FuseMM: 150})
	h.draw(hut.ID, true, change.Op{Do: change.Add, Kind: "outlet"},
		change.Op{Do: change.Move, ID: "OUT1", X: 760, Y: 200},
		change.Op{Do: change.Join, Kind: "breaker", A: "OUT+", B: "OUT1+"},
		change.Op{Do: change.Join, Kind: "cable", A: "OUT-", B: "OUT1-"},
		change.Op{Do: change.Rate, ID: "A1", Rated: netlist.Conductor{RatingA: finding.Of(32),
			VoltageRatingV: finding.Of(60), InterruptA: finding.Of(20000)}})
	sense(hut, nil)
	h.keep(hut.ID, "fuse", nil)
	h.keep(hut.ID, "precharge", ask.Values{"watts": "800", "ohms": "47", "hold": "50"})
	h.commission(hut.ID)
	h.do(func() error { return h.s.Procedure.PutInService(h.ctx, hut.ID, drawn, true, h.token()) })
	day(2, 17)
	fell := need("Fell-top rescue post", "Fell-top rescue post",
		plan.Need{Need: window.Need{AbsMaxVolts: 60, ChargeMaxVolts: 57.6, CutoffVolts: 44, LoadWatts: 1500,
			WantedKWh: 14, ChargeAmps: 40, PeakAmps: 90}, FreezesHere: true, FrostAsked: true})
	design(fell, "TUG-4", 16, 2)
	choose(fell, "T16-150")
	h.draw(fell.ID, false, change.Op{Do: change.Add, Kind: "outlet"},
		change.Op{Do: change.Move, ID: "OUT1", X: 1880, Y: 200},
		change.Op{Do: change.Join, Kind: "breaker", A: "OUT+", B: "OUT1+"},
		change.Op{Do: change.Join, Kind: "cable", A: "OUT-", B: "OUT1-"})
	day(1, 17)
	sense(fell, func(v []float64) { v[6], v[7] = v[7], v[6] }) // two leads swapped
	h.halved("K-011")
	day(0, 6)
	need("Market hall night lights", "Market hall", plan.Need{Need: window.Need{AbsMaxVolts: 64, ChargeMaxVolts: 58.4,
		CutoffVolts: 43, LoadWatts: 400, WantedKWh: 4, ChargeAmps: 20, PeakAmps: 30}, FrostAsked: true})
}
