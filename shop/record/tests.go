package record

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/module/grade"
	"pandrel/core/test/kind"
	"pandrel/core/test/logview"
	"pandrel/core/test/parts"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// Tested is a test with what it came to.
type Tested struct {
	store.Test
	kind.Figures
	Has    bool // it came to anything
	Gave   store.JSON[json.RawMessage]
	Series int // groups of the module, 0 where that is not known, or was not asked
}

// Ended is at what volts it ended, as far as anybody read it.
func (x Tested) Ended() float64 {
	if x.ByHand() && x.EndVolts == 0 {
		return x.LowestEndVolts
	}
	return x.EndVolts
}

// tests reads those that count of some modules of a type, oldest first: which picks them.
func tests(db *gorm.DB, t store.ModuleType, which string, args ...any) (out []Tested, err error) {
	var rows []struct {
		store.Test
		Gave store.JSON[json.RawMessage]
	}
	if err := Counting(db, "tests").Where(which, args...).Order("id").Scan(&rows).Error; err != nil {
		return nil, err
	}
	series := map[int64]int{}
	for _, r := range rows {
		k := kind.Kept{Source: r.Source}
		if k.Given, err = r.Given.Get(); err != nil {
			return nil, err
		}
		if k.Gave, err = r.Gave.Get(); err != nil {
			return nil, err
		}
		x := Tested{Test: r.Test, Gave: r.Gave}
		n, asked := series[r.ModuleID]
		if !asked && r.ModuleID > 0 && (r.Sha256 == "" || r.FromGroup > 0) { // others know them
			if n, err = seriesOf(db, r.ModuleID, t); err != nil {
				return nil, err
			}
			series[r.ModuleID] = n
		}
		x.Series = n
		of := kind.Subject{Chemistry: t.Chemistry, Series: n, From: r.FromGroup, To: r.ToGroup}
		if x.Figures, x.Has, err = k.Figures(of); err != nil {
			return nil, err
		}
		out = append(out, x)
	}
	return out, nil
}

// byModule sorts tests by their modules.
func byModule(list []Tested) map[int64][]Tested {
	out := map[int64][]Tested{}
	for _, x := range list {
		out[x.ModuleID] = append(out[x.ModuleID], x)
	}
	return out
}

// seriesOf is how many groups in series a module has, 0 where nobody knows.
func seriesOf(db *gorm.DB, id int64, t store.ModuleType) (int, error) {
	m, err := kernel.ByID[store.Module](db, id, "module")
	if err != nil {
		return 0, err
	}
	lay, ok, err := LayoutFor(db, m, t)
	if err != nil || !ok {
		return 0, err
	}
	return lay.Series, nil
}

// TestsOf are the tests of a module that count, oldest first.
func TestsOf(db *gorm.DB, m store.Module, t store.ModuleType) ([]Tested, error) {
	return store.Once(db.Statement.Context, fmt.Sprint("tests of module ", m.ID), func() ([]Tested, error) {
		return tests(db, t, "module_id = ?", m.ID)
	})
}

// OfBank are the newest tests of a whole bank that count, the newest first.
func OfBank(db *gorm.DB, id int64) ([]Tested, error) {
	list, err := tests(db, store.ModuleType{},
		"id IN (SELECT id FROM counting_tests WHERE subject = 'bank' AND subject_id = ? ORDER BY id DESC LIMIT 20)", id)
	slices.Reverse(list)
	return list, err
}

// Counts is the result of a module that counts: of its newest complete test, or of the newest incomplete one.
type Counts struct {
	kind.Figures
	At        time.Time
	AtLeastAh float64           // the most that a part of a discharge gave, 0 for none
	Stands    []finding.Finding // what its newest log says of it beside the capacity
	Others    []float64         // other complete results
}

// CountsFor is what counts of a module, for its page.
func (s *Room) CountsFor(ctx context.Context, m store.Module) (Counts, error) {
	db := s.Store.DB.WithContext(ctx)
	t, err := kernel.TypeByID(db, m.TypeID)
	if err != nil {
		return Counts{}, err
	}
	return NewestTest(db, m, t)
}

// NewestTest is what counts of a module.
func NewestTest(db *gorm.DB, m store.Module, t store.ModuleType) (Counts, error) {
	list, err := TestsOf(db, m, t)
	if err != nil {
		return Counts{}, err
	}
	return Newest(list)
}

// Newest picks the result that counts: the first complete one, a log before what was read or typed by hand; while
// none is complete, the newest. A later one never replaces it in silence: it is listed beside it, and the
// grade says where they differ. What stands in the newest log counts in any case.
func Newest(list []Tested) (best Counts, err error) {
	var complete []float64
	var stands []finding.Finding
	var holds known.Value
	atLeast := 0.0
	for _, byHand := range []bool{false, true} {
		for _, x := range list {
			if x.ByHand() != byHand {
				continue
			}
			if x.Logged() {
				stands = x.Stands
			}
			if x.FromGroup > 0 || !x.Has {
				continue
			}
			if x.Holds.Is() {
				holds = x.Holds
			}
			if x.Complete {
				complete = append(complete, x.CapacityAh)
			} else if !x.Said {
				atLeast = max(atLeast, x.CapacityAh)
			}
			if x.better(best) {
				best = Counts{Figures: x.Figures, At: x.Came()}
				best.EndVolts = x.Ended()
			}
		}
	}
	if !best.Complete {
		r, ok, err := wholeByParts(list)
		if err != nil {
			return Counts{}, err
		}
		if ok {
			best = r
			complete = append(complete, r.CapacityAh)
		}
	}
	best.Stands, best.AtLeastAh, best.Holds = stands, atLeast, holds
	for _, ah := range complete {
		if ah != best.CapacityAh {
			best.Others = append(best.Others, ah)
		}
	}
	return best, nil
}

// better reports whether a result is to be taken before another: a complete one before one that is not, and the newest
// among those that are complete or not alike.
func (x Tested) better(best Counts) bool {
	if best.CapacityAh == 0 || x.Complete != best.Complete {
		return x.Complete || best.CapacityAh == 0
	}
	return !x.Complete && !x.Came().Before(best.At)
}

// Ended is what the newest complete log of a module tells of its groups, 0 where no log tells.
func Ended(list []Tested) (k grade.Known) {
	for _, x := range slices.Backward(list) {
		if x.FromGroup == 0 && x.Complete && x.HighAh == 0 && x.EndedBy > 0 && x.Logged() {
			k.EndedBy, k.BalancedAh, k.OthersAh = x.EndedBy, x.Balanced, x.OthersAh
			return k
		}
	}
	return k
}

// Waits says why the newest result of a module that was typed or read by hand is no capacity yet, "" where it is one
// or there is none.
func (s *Room) Waits(ctx context.Context, m store.Module) (ah float64, lacks string, err error) {
	db := s.Store.DB.WithContext(ctx)
	t, err := kernel.TypeByID(db, m.TypeID)
	if err != nil {
		return 0, "", err
	}
	list, err := TestsOf(db, m, t)
	for _, x := range slices.Backward(list) {
		if x.ByHand() && x.Has && x.FromGroup == 0 {
			return x.CapacityAh, x.Lacks, err
		}
	}
	return 0, "", err
}

// Part is a test of a part as the rules join them.
func (x Tested) Part() parts.Tested {
	return parts.Tested{From: x.FromGroup, To: x.ToGroup, Ah: x.CapacityAh, UncertaintyAh: x.UncertaintyAh + x.GapAh,
		Complete: x.Complete, EndedBy: x.EndedBy, HoldsAh: x.Holds.Or(0), HoldsMostAh: x.Holds.High()}
}

// Typed keeps a result that somebody wrote down.
func Typed(tx *gorm.DB, row store.Test, r kind.Result) (err error) {
	row.Source = kind.Typed
	if row.Given, err = store.Raw(r); err != nil {
		return err
	}
	row = row.Had()
	return tx.Create(&row).Error
}

// Whole keeps a test of a whole bank: as it was typed, and with what was worked out of that.
func Whole(tx *gorm.DB, row store.Test, in, judged kind.AsWhole) (err error) {
	row.Source = kind.Whole
	if row.Given, err = store.Raw(in); err != nil {
		return err
	}
	row = row.Had()
	if err := tx.Create(&row).Error; err != nil {
		return err
	}
	return Gives(tx, row.ID, judged, logview.Thin{})
}

// Gives keeps what the rules made of a test.
func Gives(tx *gorm.DB, id int64, gave any, thin logview.Thin) (err error) {
	row := store.TestResult{TestID: id, RulesVersion: kernel.RulesVersion, Thin: store.JSONOf(thin)}
	if row.Gave, err = store.Raw(gave); err != nil {
		return err
	}
	return tx.Create(&row).Error
}
