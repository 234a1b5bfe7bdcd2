package record

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/module/passage"
	"pandrel/core/test/kind"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// drivenBelow fills in that a test drove a group below never-recharge, or that a test of its bank read one where none
// may be, since the module was last surveyed at rest. A log, a reading under load or one typed figure confirms nothing:
// it holds the module until a survey at rest, and none frees it.
func drivenBelow(db *gorm.DB, m store.Module, t store.ModuleType, tests []Tested, r *passage.Record) error {
	c, err := chem.Lookup(t.Chemistry)
	if err != nil {
		return nil //nolint:nilerr // without a chemistry nothing is charged, and that is said elsewhere
	}
	var rested []time.Time
	if err := Counting(db, "surveys").Where("module_id = ? AND rest_minutes >= ?", m.ID, chem.FullRestMinutes).
		Order("taken_at DESC").Limit(1).Pluck("taken_at", &rested).Error; err != nil {
		return err
	}
	since := time.Time{}
	if len(rested) > 0 {
		since = rested[0]
	}
	say := func(v float64, where string) {
		if r.DrivenBelow == "" {
			r.DrivenBelow = fmt.Sprintf("had a group at %.3f V in %s, below %.2f V", v, where, c.NeverRechargeVolts)
		}
	}
	for _, x := range slices.Backward(tests) {
		if x.Lowest != nil && !x.Came().Before(since) {
			k, _ := kind.Of(x.Test.Source)
			say(*x.Lowest, k.Where)
		}
	}
	low, _, err := readByHand(db, m, since)
	if err != nil {
		return err
	}
	if low != nil && *low < c.NeverRechargeVolts {
		say(*low, "a test by hand")
	}
	return stoppedWhole(db, m, since, r)
}

// stoppedWhole fills in that a test or a survey of the bank that a module was in read one of its groups where none may
// be.
func stoppedWhole(db *gorm.DB, m store.Module, since time.Time, r *passage.Record) error {
	if r.DrivenBelow != "" {
		return nil
	}
	var texts []string
	err := db.Raw("SELECT json_extract(s.value, '$.Finding.text') FROM counting_tests t, "+
		"json_each(t.gave, '$.Stopped') s, json_each(s.value, '$.Modules') n WHERE t.subject = 'bank' "+
		"AND t.at >= ? AND n.value = ? ORDER BY t.id DESC LIMIT 1", since, m.Number).Scan(&texts).Error
	if err != nil {
		return err
	}
	if len(texts) > 0 {
		r.DrivenBelow = "was in a test of its bank that stopped: " + strings.TrimSuffix(texts[0], ".")
		return nil
	}
	err = db.Raw("SELECT json_extract(s.value, '$.Finding.text') FROM counting_bank_surveys t, "+
		"json_each(t.result, '$.Held') s, json_each(s.value, '$.Modules') n WHERE t.taken_at >= ? AND n.value = ? "+
		"ORDER BY t.id DESC LIMIT 1", since, m.Number).Scan(&texts).Error
	if err == nil && len(texts) > 0 {
		r.DrivenBelow = "was in a survey of its bank: " + strings.TrimSuffix(texts[0], ".")
	}
	return err
}

// TouchStopped has judged again the modules whose groups a test or a survey of their bank stopped.
func (s *Room) TouchStopped(tx *gorm.DB, stops []whole.Stop) error {
	var ids []int64
	for _, x := range stops {
		if len(x.Modules) == 0 {
			continue
		}
		var of []int64
		if err := tx.Model(&store.Module{}).Where("number IN ?", x.Modules).Pluck("id", &of).Error; err != nil {
			return err
		}
		ids = append(ids, of...)
	}
	slices.Sort(ids)
	for _, id := range slices.Compact(ids) {
		kernel.Touch(tx, id)
	}
	return nil
}
