package record

import (
	"context"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/module/capacity"
	"pandrel/core/module/noted"
	"pandrel/core/module/parts"
	"pandrel/core/module/passage"
	"pandrel/core/module/trace"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// PartTest is a test of a part of a module, logged or typed.
type PartTest struct {
	parts.Tested
	At       time.Time
	ByHand   bool
	Amps     float64
	TempC    *float64
	EndVolts float64
	MilliOhm float64
	EnergyWh float64
	TraceID  int64 // 0 where it was typed
	Before   bool  // typed of a test that lies before the newest survey: its volts hold

	Said   bool // a figure alone, typed
	series int  // of the module
}

// partTests are the tests of parts of the modules of a type, by module, oldest first.
func partTests(db *gorm.DB, t store.ModuleType) (map[int64][]PartTest, error) {
	return partTestsOf(db, t, "IN (SELECT id FROM modules WHERE type_id = ?)", t.ID)
}

// partTestsOf are those of the modules that which picks.
//
// In one piece: typed and logged tests become one list by the same rules.
func partTestsOf(db *gorm.DB, t store.ModuleType, which string, arg any) (map[int64][]PartTest, error) {
	var hand []store.HandResult
	if err := Counting(db, "hand_results").Where("from_group > 0 AND module_id "+which,
		arg).Order("id").Find(&hand).Error; err != nil {
		return nil, err
	}
	var logs []struct {
		store.Trace
		Result store.JSON[trace.Result]
	}
	if err := db.Raw("SELECT t.*, r.result FROM counting_traces t JOIN trace_results r ON r.trace_id = t.id WHERE "+
		"t.from_group > 0 AND t.module_id "+which+" ORDER BY t.id", arg).Scan(&logs).Error; err != nil {
		return nil, err
	}
	if len(hand) == 0 && len(logs) == 0 {
		return nil, nil
	}
	series := map[int64]int{}
	seriesOf := func(id int64) (int, error) {
		if n, ok := series[id]; ok {
			return n, nil
		}
		m, err := kernel.ByID[store.Module](db, id, "module")
		if err != nil {
			return 0, err
		}
		lay, ok, err := LayoutFor(db, m, t)
		if ok {
			series[id] = lay.Series
		} else {
			series[id] = 0
		}
		return series[id], err
	}
	out := map[int64][]PartTest{}
	add := func(id int64, p PartTest) error {
		n, err := seriesOf(id)
		if err == nil && p.From <= p.To && p.To <= n {
			p.series = n
			out[id] = append(out[id], p)
		}
		return err
	}
	for _, h := range hand {
		p := PartTest{Tested: parts.Tested{From: h.FromGroup, To: h.ToGroup, Ah: h.CapacityAh},
			At: h.TakenAt, ByHand: true, Amps: h.Amps, TempC: h.TempC, EndVolts: h.LowestEndVolts,
			MilliOhm: h.ResistanceMohm, EnergyWh: h.EnergyWh, Before: !h.ChargeMoved}
		p.Complete = noted.Complete(noted.Result{FromFull: h.FromFull, LowestEndVolts: h.LowestEndVolts,
			EndVolts: h.EndVolts, Series: h.ToGroup - h.FromGroup + 1, Chemistry: t.Chemistry})
		p.Said = !p.Complete && noted.OnlySaid(noted.Result{FromFull: h.FromFull, EndVolts: h.EndVolts,
			LowestEndVolts: h.LowestEndVolts, Amps: h.Amps, EnergyWh: h.EnergyWh})
		if err := add(h.ModuleID, p); err != nil {
			return nil, err
		}
	}
	for _, l := range logs {
		r, err := l.Result.Get()
		if err != nil {
			return nil, err
		}
		if r.Capacity == nil {
			continue
		}
		p := PartTest{Tested: parts.Tested{From: l.FromGroup, To: l.ToGroup, Ah: numeral.AmpHours(r.Capacity.Ah),
			UncertaintyAh: r.Capacity.UncertaintyAh + r.Capacity.GapAh, Complete: r.Capacity.Complete ||
				r.Capacity.Whole}, At: l.UploadedAt, Amps: r.Capacity.MeanAmps, TempC: r.Capacity.TempC,
			EndVolts: r.Capacity.EndVolts, EnergyWh: r.Capacity.Wh, TraceID: l.ID}
		if r.LimitingGroup != nil {
			p.EndedBy = l.FromGroup + *r.LimitingGroup - 1
		}
		p.MilliOhm, _ = tenSeconds(r)
		if err := add(l.ModuleID, p); err != nil {
			return nil, err
		}
	}
	for id := range out {
		slices.SortStableFunc(out[id], func(a, b PartTest) int { return a.At.Compare(b.At) })
	}
	return out, nil
}

// joinTests puts the tests of one module's parts together.
func joinTests(tests []PartTest) (parts.Joined, error) {
	if len(tests) == 0 {
		return parts.Joined{}, nil
	}
	var list []parts.Tested
	for _, t := range tests {
		if !t.Said {
			list = append(list, t.Tested)
		}
	}
	return parts.Join(tests[0].series, list)
}

// intoKnown tells what the parts say: together the whole, else a roof.
func intoKnown(tests []PartTest, k *capacity.Known) error {
	if len(tests) == 0 || k.MeasuredAh > 0 {
		return nil
	}
	j, err := joinTests(tests)
	switch {
	case err != nil:
		return err
	case j.Complete:
		k.MeasuredAh, k.UncertaintyAh = j.Ah, j.UncertaintyAh
	default:
		k.AtMostAh = j.AtMostAh
		k.AtLeastAh = max(k.AtLeastAh, j.AtLeastAh)
	}
	for _, t := range tests { // the word on a part is a word on the whole: it gives no more than any of its parts
		if t.Said && (k.SaidAh == 0 || t.Ah < k.SaidAh) {
			k.SaidAh = t.Ah
		}
	}
	return nil
}

// wholeByParts is the capacity of a module whose parts were all tested alone; ok is false where they were not.
func wholeByParts(db *gorm.DB, moduleID int64) (r TestResult, ok bool, err error) {
	var n int64
	if err := db.Raw("SELECT (SELECT count(*) FROM counting_hand_results WHERE module_id = ? AND from_group > 0) + "+
		"(SELECT count(*) FROM counting_traces WHERE module_id = ? AND from_group > 0)", moduleID,
		moduleID).Scan(&n).Error; err != nil || n == 0 {
		return r, false, err
	}
	tests, _, err := PartsOf(db, moduleID)
	if err != nil {
		return r, false, err
	}
	j, err := joinTests(tests)
	if err != nil || !j.Complete {
		return r, false, err
	}
	r = TestResult{CapacityAh: j.Ah, UncertaintyAh: j.UncertaintyAh, Complete: true}
	counted := true
	for _, p := range j.Parts { // the conditions are those of the weakest; ohms and watt hours add up
		for _, t := range tests {
			if t.Tested != p.Tested {
				continue
			}
			r.ByHand = r.ByHand || t.ByHand
			if t.From == j.WeakestFrom {
				r.At, r.Amps, r.TempC, r.EndVolts = t.At, t.Amps, t.TempC, t.EndVolts
			}
			if p.Ah > 0 { // as one it gives of each part what the weakest lets it
				r.EnergyWh += t.EnergyWh * j.Ah / p.Ah
			}
			counted = counted && t.EnergyWh > 0
			break
		}
	}
	if !counted { // the energy of some parts is none of the module
		r.EnergyWh = 0
	}
	if len(j.Parts) > 0 {
		r.ResistanceMOhm = sumOhms(j, tests)
	}
	return r, true, nil
}

// sumOhms adds up the resistance of the parts in series, 0 where one is missing.
func sumOhms(j parts.Joined, tests []PartTest) float64 {
	sum := 0.0
	for _, p := range j.Parts {
		k := slices.IndexFunc(tests, func(t PartTest) bool { return t.Tested == p.Tested })
		if k < 0 || tests[k].MilliOhm == 0 {
			return 0
		}
		sum += tests[k].MilliOhm
	}
	return sum
}

// PartsOf are the tests of parts of one module, oldest first, with what they say together.
func PartsOf(db *gorm.DB, moduleID int64) ([]PartTest, parts.Joined, error) {
	m, err := kernel.ByID[store.Module](db, moduleID, "module")
	if err != nil {
		return nil, parts.Joined{}, err
	}
	t, err := kernel.TypeByID(db, m.TypeID)
	if err != nil {
		return nil, parts.Joined{}, err
	}
	all, err := partTestsOf(db, t, "= ?", moduleID)
	if err != nil {
		return nil, parts.Joined{}, err
	}
	j, err := joinTests(all[moduleID])
	return all[moduleID], j, err
}

// PartsFor is PartsOf for a page.
func (s *Room) PartsFor(ctx context.Context, moduleID int64) ([]PartTest, parts.Joined, error) {
	return PartsOf(s.Store.DB.WithContext(ctx), moduleID)
}

// partsApart says how far a module's groups stand from each other after a part of it was tested alone, "" where they
// match again or no part was: what each wants back, until a survey shows that they are alike.
func (s *Room) partsApart(db *gorm.DB, m store.Module, t store.ModuleType) (string, error) {
	tests, err := partTestsOf(db, t, "= ?", m.ID)
	if err != nil || len(tests[m.ID]) == 0 {
		return "", err
	}
	list := slices.DeleteFunc(slices.Clone(tests[m.ID]), func(p PartTest) bool { return p.Before })
	if len(list) == 0 {
		return "", nil
	}
	last := list[len(list)-1]
	n := last.series
	states := make([]parts.State, n)
	sv, at, ok, err := LastSurvey(db, m.ID)
	if err != nil {
		return "", err
	}
	surveyed := ok && len(sv.Groups) == n
	for i := range states {
		if surveyed {
			states[i].RestVolts = sv.Groups[i].Volts
		}
	}
	since := 0
	for _, p := range list {
		for g := p.From; g <= p.To; g++ {
			if p.Complete {
				states[g-1].Ah = p.Ah
			}
			if !surveyed || p.At.After(at) {
				states[g-1].AtFloor = true
				since++
			}
		}
	}
	rated := RatedAh(m, t)
	moves, matched, err := parts.Return(states, t.Chemistry, rated)
	switch {
	case err != nil: // nobody read the others: how much cannot be said, that they differ can
		return fmt.Sprintf("has groups that were tested alone (%s), and its others were not read since: survey it "+
			"at rest", last.Name()), nil
	case matched && since == 0:
		return "", nil
	case matched:
		return fmt.Sprintf("has groups that were tested alone, %s last: let it rest, and survey it", last.Name()), nil
	}
	return "has groups that stand apart in charge after " + last.Name() + " alone was tested: return " +
		parts.Words(moves) + ", let it rest, and survey it again", nil
}

// tenSeconds is the resistance that is kept of a log: at 10 s, else at 30 s.
func tenSeconds(r trace.Result) (float64, bool) {
	if mohm, ok := r.ResistanceAt(10); ok {
		return mohm, true
	}
	return r.ResistanceAt(30)
}

// handDoubt looks whether a group was read where it must never be in a test by hand since the newest survey.
func handDoubt(db *gorm.DB, m store.Module, t store.ModuleType, since time.Time, r *passage.Record) error {
	c, err := chem.Lookup(t.Chemistry)
	if err != nil {
		return nil //nolint:nilerr // without a chemistry nothing is tested, and that is said elsewhere
	}
	var low, high *float64
	if err := db.Raw("SELECT min(v.value), max(v.value) FROM hand_readings h JOIN hand_tests x ON x.id = h.test_id, "+
		"json_each(h.cells) v WHERE x.module_id = ? AND h.at > ?", m.ID, since).Row().Scan(&low, &high); err != nil {
		return err
	}
	switch {
	case low == nil:
	case *low < c.NeverRechargeVolts: // see drivenBelow
	case *high > c.ChargeLimitVolts+chem.OverToleranceVolts:
		r.LogDoubt = fmt.Sprintf("had a group at %.3f V in a test by hand, above %.2f V", *high, c.ChargeLimitVolts)
	}
	return nil
}
