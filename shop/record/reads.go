package record

import (
	"time"

	"gorm.io/gorm"

	"pandrel/core/bank/whole"
	"pandrel/core/base/finding"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// ReadInPart is a module's newest sitting in which not every group was read, as it is judged now.
type ReadInPart struct {
	store.ModuleRead
	What   whole.Read
	Judged whole.Standing
}

// Holds is what it holds against its module, "" for nothing.
func (r ReadInPart) Holds() string {
	for _, f := range r.Judged.Findings {
		if f.Level >= finding.Stop {
			return f.Text
		}
	}
	return ""
}

// LastRead is a module's newest sitting in part that no survey of all of its groups came after; ok is false for none.
func LastRead(db *gorm.DB, m store.Module, t store.ModuleType) (r ReadInPart, ok bool, err error) {
	r.ModuleRead, ok, err = kernel.Find[store.ModuleRead](Counting(db, "module_reads").Where("module_id = ?",
		m.ID).Order("taken_at DESC, id DESC"))
	if err != nil || !ok {
		return r, false, err
	}
	_, at, surveyed, err := LastSurvey(db, m.ID)
	if err != nil || surveyed && !at.Before(r.TakenAt) {
		return r, false, err
	}
	if r.What, err = r.Part.Get(); err != nil {
		return r, false, err
	}
	lay, _, err := LayoutFor(db, m, t)
	if err != nil {
		return r, false, err
	}
	r.Judged, err = JudgeInPart(m, t, lay.Series, r.What, r.RestMinutes, r.AccuracyVolts)
	return r, err == nil, err
}

// JudgeInPart judges what was read of a module of so many groups.
func JudgeInPart(m store.Module, t store.ModuleType, series int, what whole.Read, rest, accuracy float64) (
	s whole.Standing, err error) {
	b := whole.Bank{Name: m.Number, Series: series, Chemistry: t.Chemistry, Ah: RatedAh(m, t)}
	if b.Curve, err = CurveOf(t); err != nil {
		return s, err
	}
	return whole.JudgeRead(b, what, rest, accuracy, survey.DefaultPolicy)
}

// EndsOf are the newest totals of modules that nobody surveyed since, by module: the volts from end to end.
func EndsOf(db *gorm.DB, ids []int64) (map[int64]float64, error) {
	var rows []struct {
		ModuleID int64
		TakenAt  time.Time
		Part     store.JSON[whole.Read]
	}
	err := db.Raw(`SELECT r.module_id, r.taken_at, r.part FROM counting_module_reads r WHERE r.module_id IN ? AND
		NOT EXISTS (SELECT 1 FROM counting_surveys s WHERE s.module_id = r.module_id AND s.taken_at >= r.taken_at)
		ORDER BY r.taken_at, r.id`, ids).Scan(&rows).Error
	out := map[int64]float64{}
	for _, r := range rows {
		what, err := r.Part.Get()
		if err != nil {
			return nil, err
		}
		if what.TotalV > 0 {
			out[r.ModuleID] = what.TotalV
		}
	}
	return out, err
}

// EachNow are the volts of a module's groups as they were read last, an even share of its ends where only those were;
// empty where nothing was.
func EachNow(db *gorm.DB, m store.Module, series int) (each []float64, err error) {
	last, err := LastVolts(db, m.ID)
	if err != nil || len(last) > 0 {
		for g := 1; g <= len(last); g++ {
			each = append(each, last[g])
		}
		return each, err
	}
	ends, err := EndsOf(db, []int64{m.ID})
	if v := ends[m.ID]; v > 0 {
		for range series {
			each = append(each, v/float64(series))
		}
	}
	return each, err
}
