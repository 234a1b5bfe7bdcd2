package record

import (
	"context"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"pandrel/core/base/station"
	"pandrel/core/module/capacity"
	"pandrel/core/module/grade"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// RatedAh is the rated capacity of a module: its own plate's, else its type's, 0 where neither is known.
func RatedAh(m store.Module, t store.ModuleType) float64 {
	if m.PlateAh > 0 {
		return m.PlateAh
	}
	return t.RatedAh
}

// Estimate says what a module holds by whatever is on record of it; ok is false where nothing is that a number could
// rest on.
func Estimate(db *gorm.DB, m store.Module, t store.ModuleType) (e capacity.Estimate, ok bool, err error) {
	list, err := Estimates(db, t, []store.Module{m})
	if err != nil || len(list) == 0 {
		return e, false, err
	}
	return list[0].Estimate, list[0].Known, nil
}

// EstimateOf is Estimate for a page.
func (s *Room) EstimateOf(ctx context.Context, m store.Module, t store.ModuleType) (capacity.Estimate, bool, error) {
	return Estimate(s.Store.DB.WithContext(ctx), m, t)
}

// Estimated is a module with what it holds, as far as that is known.
type Estimated struct {
	Module store.Module
	capacity.Estimate
	Known bool
}

// sibling is a module of a type that was tested whole.
type sibling struct {
	ID, LotID  int64
	CapacityAh float64
}

// Estimates are those of modules of one type, in few statements however many they are.
func Estimates(db *gorm.DB, t store.ModuleType, mods []store.Module) ([]Estimated, error) {
	if len(mods) == 0 {
		return nil, nil
	}
	tested, own, err := testedOf(db, t, mods)
	if err != nil {
		return nil, err
	}
	tests, err := partTests(db, t)
	if err != nil {
		return nil, err
	}
	banks, err := bankShares(db, t.ID)
	if err != nil {
		return nil, err
	}
	claims, err := claimsOf(db, mods)
	if err != nil {
		return nil, err
	}
	// Modules of one lot and plate of which nothing else is known are known alike: worked out once.
	type alike struct {
		lot   int64
		plate float64
	}
	done := map[alike]Estimated{}
	out := make([]Estimated, len(mods))
	for i, m := range mods {
		same := alike{m.LotID, m.PlateAh}
		plain := m.ParentID == nil && own[i].CapacityAh == 0 && len(tests[m.ID]) == 0 && banks[m.ID] == 0
		if e, ok := done[same]; ok && plain {
			out[i] = e
			out[i].Module = m
			continue
		}
		k := knownOf(m, t, own[i], tested)
		said := claims[m.LotID]
		k.ClaimedShare, k.Papers, k.About, k.BankAh = said.share, said.papers, said.about, banks[m.ID]
		if m.ParentID != nil {
			if k, err = partOf(db, m, k); err != nil {
				return nil, err
			}
		}
		if err := intoKnown(tests[m.ID], &k); err != nil {
			return nil, err
		}
		out[i].Module = m
		if out[i].Estimate, out[i].Known, err = capacity.JudgeKnown(k, capacity.DefaultPolicy); err != nil {
			return nil, err
		}
		if plain {
			done[same] = out[i]
		}
	}
	return out, nil
}

// partOf is what is known of a module that came of another one: by what that gave, and not by what was said of it.
func partOf(db *gorm.DB, m store.Module, k capacity.Known) (capacity.Known, error) {
	parent, err := kernel.ByID[store.Module](db, *m.ParentID, "module")
	if err != nil {
		return k, err
	}
	t, err := kernel.TypeByID(db, parent.TypeID)
	if err != nil {
		return k, err
	}
	r, err := NewestTest(db, parent, t)
	if err != nil || !r.Complete {
		return k.PartOf(0, m.ParentShare), err
	}
	return k.PartOf(r.CapacityAh-r.UncertaintyAh, m.ParentShare), nil
}

// known is what is on record of one module, with its siblings.
func knownOf(m store.Module, t store.ModuleType, r Counts, tested []sibling) capacity.Known {
	k := capacity.Known{RatedAh: RatedAh(m, t)}
	switch {
	case r.Complete:
		k.MeasuredAh, k.MeasuredHigh, k.UncertaintyAh = r.CapacityAh, r.HighAh, r.UncertaintyAh
	case r.Said:
		k.SaidAh, k.AtLeastAh = r.CapacityAh, r.AtLeastAh
	default:
		k.AtLeastAh = r.AtLeastAh
	}
	if r.Holds.Is() {
		k.AtMostAh, k.PartAh = r.Holds.High(), r.Holds.V()
	}
	for _, s := range tested {
		switch {
		case s.ID == m.ID:
		case s.LotID == m.LotID:
			k.Lot = append(k.Lot, s.CapacityAh)
		default:
			k.Type = append(k.Type, s.CapacityAh)
		}
	}
	return k
}

// testedOf are the modules of a type that were tested whole, graded or not, and what a bench knows of each of mods.
func testedOf(db *gorm.DB, t store.ModuleType, mods []store.Module) (tested []sibling, own []Counts, err error) {
	all, err := store.Once(db.Statement.Context, fmt.Sprint("tested of type ", t.ID), func() (testedType, error) {
		return testedWhole(db, t)
	})
	if err != nil {
		return nil, nil, err
	}
	own = make([]Counts, len(mods))
	for i, m := range mods {
		if m.CapacityAh <= 0 {
			continue
		}
		r, ok := all.results[m.ID]
		if !ok {
			if r, err = NewestTest(db, m, t); err != nil {
				return nil, nil, err
			}
		}
		own[i] = r
	}
	return all.tested, own, nil
}

// testedType are the siblings of a type that were tested whole, and the results that were read for that.
type testedType struct {
	tested  []sibling
	results map[int64]Counts
}

func testedWhole(db *gorm.DB, t store.ModuleType) (out testedType, err error) {
	out.results = map[int64]Counts{}
	err = db.Model(&store.Module{}).Where("type_id = ? AND class <> '' AND capacity_ah > 0", t.ID).
		Order("number").Select("id, lot_id, capacity_ah").Scan(&out.tested).Error
	if err != nil {
		return out, err
	}
	var open []store.Module // a bench knows of them, and nobody has graded them yet
	if err := db.Where("type_id = ? AND class = '' AND capacity_ah > 0", t.ID).Order("number").Limit(mostOpen).
		Find(&open).Error; err != nil {
		return out, err
	}
	if len(open) == 0 {
		return out, nil
	}
	ids := make([]int64, len(open))
	for i, m := range open {
		ids[i] = m.ID
	}
	list, err := tests(db, t, "module_id IN ?", ids)
	if err != nil {
		return out, err
	}
	of := byModule(list)
	for _, m := range open {
		r, err := Newest(of[m.ID])
		if err != nil {
			return out, err
		}
		out.results[m.ID] = r
		if r.Complete {
			out.tested = append(out.tested, sibling{m.ID, m.LotID, r.CapacityAh})
		}
	}
	return out, nil
}

// mostOpen bounds how many tested modules that nobody has graded are looked at as siblings.
const mostOpen = 200

// EstimatesByID are the estimates of modules of any types, by module.
func EstimatesByID(db *gorm.DB, mods []store.Module) (map[int64]Estimated, error) {
	byType := map[int64][]store.Module{}
	for _, m := range mods {
		byType[m.TypeID] = append(byType[m.TypeID], m)
	}
	out := map[int64]Estimated{}
	for id, list := range byType {
		t, err := kernel.TypeByID(db, id)
		if err != nil {
			return nil, err
		}
		es, err := Estimates(db, t, list)
		if err != nil {
			return nil, err
		}
		for _, e := range es {
			out[e.Module.ID] = e
		}
	}
	return out, nil
}

// claim is what was said of a lot: a share of rated capacity, or that it is new and its papers hold.
type claim struct {
	share  float64
	papers bool
	about  bool
}

// claimsOf is what was said of the modules' lots.
func claimsOf(db *gorm.DB, mods []store.Module) (map[int64]claim, error) {
	var ids []int64
	for _, m := range mods {
		if !slices.Contains(ids, m.LotID) {
			ids = append(ids, m.LotID)
		}
	}
	var lots []store.Lot
	err := db.Where("id IN ? AND (claimed_soh_pct > 0 OR papers)", ids).Find(&lots).Error
	out := map[int64]claim{}
	for _, l := range lots {
		out[l.ID] = claim{l.ClaimedSohPct / 100, l.Papers, l.ClaimAbout}
	}
	return out, err
}

// bankShares are the shares of modules in banks that were tested whole, amp hours of one module.
func bankShares(db *gorm.DB, typeID int64) (map[int64]float64, error) {
	var rows []struct {
		ModuleID int64
		Share    float64
	}
	err := db.Raw(`SELECT m.id AS module_id, json_extract(t.gave, '$.ModuleAh') AS share FROM counting_tests t
		JOIN modules m ON m.bank_id = t.subject_id WHERE t.subject = 'bank' AND m.type_id = ? ORDER BY t.id`,
		typeID).Scan(&rows).Error
	out := map[int64]float64{}
	for _, r := range rows {
		out[r.ModuleID] = max(out[r.ModuleID], r.Share)
	}
	return out, err
}

// Planned are the modules of a type that were never graded and may be planned with: nothing on record speaks against
// them. Of those in open nothing is known of the amp hours. Out lists the others, each with why.
func (s *Room) Planned(db *gorm.DB, t store.ModuleType) (in, open []Estimated, out []LeftOut, err error) {
	var mods []store.Module
	if err = db.Where("type_id = ? AND bank_id IS NULL AND fitness <> ? AND station <> 'out'", t.ID,
		grade.Accept).Order("number").Find(&mods).Error; err != nil {
		return nil, nil, nil, err
	}
	list, err := Estimates(db, t, mods)
	if err != nil {
		return nil, nil, nil, err
	}
	for _, e := range list {
		m := e.Module
		why := ""
		switch {
		case m.Quarantined:
			why = "in quarantine: " + m.QuarantineWhy
		case m.Hold != "":
			why = m.Hold
		case m.Fitness == grade.Reject:
			why = m.Class.Name() + ", rejected by its grade"
		case m.Fitness == grade.Watch:
			why = m.Class.Name() + ", watched: a parallel mate only"
		case m.Verdict.Doubt() != "" && !(t.Chemistry == "" && m.Verdict == survey.Unknown):
			why = "its last survey leaves a doubt: " + m.Verdict.Doubt()
		case !e.Known:
			open = append(open, e)
			continue
		default:
			in = append(in, e)
			continue
		}
		out = append(out, LeftOut{Number: m.Number, Why: why, MayAllow: m.Fitness == grade.Watch && !m.Quarantined &&
			m.Hold == "" && m.Verdict.Doubt() == "", Estimated: e})
	}
	return in, open, out, nil
}

// LeftOut is a module that a design does without, and why. One that MayAllow is let in by a reason in writing.
type LeftOut struct {
	Number   string
	Why      string
	MayAllow bool
	Estimated
}

// StationOf is where on the path a module is by what is on record of it.
func (s *Room) StationOf(db *gorm.DB, m store.Module, t store.ModuleType) (station.Station, error) {
	r, err := s.record(db, m, t)
	if err != nil {
		return "", err
	}
	_, mapped, err := LayoutFor(db, m, t)
	if err != nil {
		return "", err
	}
	res, err := NewestTest(db, m, t)
	switch {
	case err != nil:
		return "", err
	case !r.Looked || r.LookHeld != "":
		return station.Inspect, nil
	case !mapped:
		return station.Map, nil
	case !r.Surveyed:
		return station.Survey, nil
	case !res.Complete:
		return station.Test, nil
	}
	return station.Grade, nil
}
