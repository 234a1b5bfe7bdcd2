package record

import (
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/chem"
	"pandrel/core/module/capacity"
	"pandrel/core/module/passage"
	"pandrel/core/test/kind"
	"pandrel/core/test/parts"
	"pandrel/store"
)

// ofParts are those of tests that are of a part of their module alone, as they came.
func ofParts(list []Tested) (out []Tested) {
	for _, x := range list {
		if x.FromGroup > 0 && x.Has && x.FromGroup <= x.ToGroup && x.ToGroup <= x.Series {
			out = append(out, x)
		}
	}
	slices.SortStableFunc(out, func(a, b Tested) int { return a.Came().Compare(b.Came()) })
	return out
}

// partTests are the tests of parts of the modules of a type, by module, oldest first.
func partTests(db *gorm.DB, t store.ModuleType) (map[int64][]Tested, error) {
	list, err := tests(db, t, "from_group > 0 AND module_id IN (SELECT id FROM modules WHERE type_id = ?)", t.ID)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	out := byModule(list)
	for id := range out {
		out[id] = ofParts(out[id])
	}
	return out, nil
}

// joinTests puts the tests of one module's parts together.
func joinTests(tests []Tested) (parts.Joined, error) {
	if len(tests) == 0 {
		return parts.Joined{}, nil
	}
	var list []parts.Tested
	for _, t := range tests {
		if !t.Said {
			list = append(list, t.Part())
		}
	}
	return parts.Join(tests[0].Series, list)
}

// intoKnown tells what the parts say: together the whole, else a roof.
func intoKnown(tests []Tested, k *capacity.Known) error {
	if len(tests) == 0 || k.MeasuredAh > 0 {
		return nil
	}
	j, err := joinTests(tests)
	switch {
	case err != nil:
		return err
	case j.Complete:
		k.MeasuredAh, k.UncertaintyAh = j.Ah, j.UncertaintyAh
	case j.AtMostAh > 0 && (k.AtMostAh == 0 || j.AtMostAh < k.AtMostAh):
		k.AtMostAh, k.PartAh = j.AtMostAh, j.LikelyAh
	}
	if !j.Complete {
		k.AtLeastAh = max(k.AtLeastAh, j.AtLeastAh)
	}
	for _, t := range tests { // the word on a part is a word on the whole: it gives no more than any of its parts
		if t.Said && (k.SaidAh == 0 || t.CapacityAh < k.SaidAh) {
			k.SaidAh = t.CapacityAh
		}
	}
	return nil
}

// wholeByParts is the capacity of a module whose parts were all tested alone; ok is false where they were not.
func wholeByParts(list []Tested) (r Counts, ok bool, err error) {
	tests := ofParts(list)
	j, err := joinTests(tests)
	if err != nil || !j.Complete {
		return r, false, err
	}
	r.Source, r.CapacityAh, r.UncertaintyAh, r.Complete = kind.Log, j.Ah, j.UncertaintyAh, true
	counted := true
	for _, p := range j.Parts { // the conditions are those of the weakest; ohms and watt hours add up
		k := slices.IndexFunc(tests, func(t Tested) bool { return t.Part() == p.Tested })
		if k < 0 {
			continue
		}
		t := tests[k]
		if t.ByHand() {
			r.Source = kind.Typed
		}
		if t.FromGroup == j.WeakestFrom {
			r.At, r.Amps, r.TempC, r.EndVolts = t.Came(), t.Amps, t.TempC, t.EndVolts
			if t.ByHand() {
				r.EndVolts = t.LowestEndVolts
			}
		}
		if p.Ah > 0 { // as one it gives of each part what the weakest lets it
			r.EnergyWh += t.EnergyWh * j.Ah / p.Ah
		}
		counted = counted && t.EnergyWh > 0
	}
	if !counted { // the energy of some parts is none of the module
		r.EnergyWh = 0
	}
	r.ResistanceMOhm = sumOhms(j, tests)
	return r, true, nil
}

// sumOhms adds up the resistance of the parts in series, 0 where one is missing.
func sumOhms(j parts.Joined, tests []Tested) float64 {
	sum := 0.0
	for _, p := range j.Parts {
		k := slices.IndexFunc(tests, func(t Tested) bool { return t.Part() == p.Tested })
		if k < 0 || tests[k].ResistanceMOhm == 0 {
			return 0
		}
		sum += tests[k].ResistanceMOhm
	}
	return sum
}

// PartsOf are the tests of parts of one module among its tests, oldest first, with what they say together.
func PartsOf(list []Tested) ([]Tested, parts.Joined, error) {
	tests := ofParts(list)
	j, err := joinTests(tests)
	return tests, j, err
}

// partsApart says how far a module's groups stand from each other after a part of it was tested alone, "" where they
// match again or no part was: what each wants back, until a survey shows that they are alike.
func (s *Room) partsApart(db *gorm.DB, m store.Module, t store.ModuleType, tests []Tested) (string, error) {
	list := slices.DeleteFunc(ofParts(tests), func(x Tested) bool { return !x.Moved }) // others lie before the survey
	if len(list) == 0 {
		return "", nil
	}
	last := list[len(list)-1]
	n := last.Series
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
		for g := p.FromGroup; g <= p.ToGroup; g++ {
			if p.Complete {
				states[g-1].Ah = p.CapacityAh
			}
			if surveyed && !p.Came().After(at) {
				continue
			}
			since++
			if states[g-1].AtFloor = !p.Holds.Is(); p.Holds.Is() {
				states[g-1].RestVolts, states[g-1].Ah = p.RestVolts, p.Holds.V()
			}
		}
	}
	rated := RatedAh(m, t)
	moves, matched, err := parts.Return(states, t.Chemistry, rated)
	switch {
	case err != nil && last.Tells != "": // it stood with its siblings before: what came out goes back in
		return fmt.Sprintf("has groups that stand apart in charge after %s alone was tested: return the %.1f Ah that "+
			"came out to %s alone, let it rest, and survey it", last.PartName(), last.CapacityAh, last.PartName()), nil
	case err != nil: // nobody read the others: how much cannot be said, that they differ can
		return fmt.Sprintf("has groups that were tested alone (%s), and its others were not read since: survey it "+
			"at rest", last.PartName()), nil
	case matched && since == 0:
		return "", nil
	case matched:
		return fmt.Sprintf("has groups that were tested alone, %s last: let it rest, and survey it",
			last.PartName()), nil
	}
	return "has groups that stand apart in charge after " + last.PartName() + " alone was tested: return " +
		parts.Words(moves) + ", let it rest, and survey it again", nil
}

// handDoubt looks whether a group was read where it must never be in a test by hand since the newest survey.
func handDoubt(db *gorm.DB, m store.Module, t store.ModuleType, since time.Time, r *passage.Record) error {
	c, err := chem.Lookup(t.Chemistry)
	if err != nil {
		return nil //nolint:nilerr // without a chemistry nothing is tested, and that is said elsewhere
	}
	low, high, err := readByHand(db, m, since.Add(1))
	switch {
	case err != nil:
		return err
	case low == nil:
	case *low < c.NeverRechargeVolts: // see drivenBelow
	case *high > c.ChargeLimitVolts+chem.OverToleranceVolts:
		r.LogDoubt = fmt.Sprintf("had a group at %.3f V in a test by hand, above %.2f V", *high, c.ChargeLimitVolts)
	}
	return nil
}

// readByHand are the lowest and the highest voltage of a group that somebody read while a test was worked, nil for
// none.
func readByHand(db *gorm.DB, m store.Module, since time.Time) (low, high *float64,
	err error) {
	err = db.Raw("SELECT min(v.value), max(v.value) FROM read_by_hand h, json_each(h.cells) v WHERE "+
		"h.module_id = ? AND h.at >= ?", m.ID, since).Row().
		Scan(&low, &high)
	return low, high, err
}
