package record

import (
	"context"
	"time"

	"gorm.io/gorm"

	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// LastSurvey returns the newest survey's judgement; ok is false where there is none.
func LastSurvey(db *gorm.DB, moduleID int64) (r survey.Result, at time.Time, ok bool, err error) {
	var row struct {
		TakenAt time.Time
		Result  store.JSON[survey.Result]
	}
	err = db.Raw("SELECT s.taken_at, r.result FROM counting_surveys s JOIN survey_results r ON r.survey_id = s.id "+
		"WHERE s.module_id = ? ORDER BY s.taken_at DESC, s.id DESC LIMIT 1", moduleID).Scan(&row).Error
	if err != nil || !row.Result.Set() {
		return r, row.TakenAt, false, err
	}
	r, err = row.Result.Get()
	return r, row.TakenAt, err == nil, err
}

// TypedVolts is a group's voltage and what was typed for it.
//
// Span above 1 says that so many groups from Group on were read together, for Reason.
type TypedVolts struct {
	Group   int
	Volts   float64
	AsTyped string
	Span    int
	Reason  string
}

// Earlier says for the log when a sitting was, where that is not now.
func Earlier(at, now time.Time) string {
	if now.Sub(at) < time.Hour {
		return ""
	}
	return " on " + at.Format("2006-01-02 15:04")
}

// LastVolts returns the group voltages of a module's newest survey.
func LastVolts(db *gorm.DB, moduleID int64) (map[int]float64, error) {
	return VoltsUpTo(db, moduleID, time.Date(9999, 1, 1, 0, 0, 0, 0, time.UTC))
}

// LastVoltsOf are the group voltages of the newest surveys of many modules, in one statement; a module that was never
// surveyed, or of which a group was withdrawn, has none or a part.
func LastVoltsOf(db *gorm.DB, ids []int64) (map[int64][]float64, error) {
	var rows []struct {
		ModuleID int64
		GroupNo  int
		Volts    float64
		Span     int
	}
	err := db.Raw(`SELECT v.module_id, r.group_no, r.volts, r.span FROM counting_surveys v JOIN survey_readings r ON
		r.survey_id = v.id WHERE v.module_id IN ? AND v.id = (SELECT id FROM counting_surveys w WHERE w.module_id =
		v.module_id ORDER BY w.taken_at DESC, w.id DESC LIMIT 1) AND NOT EXISTS (SELECT 1 FROM withdrawals w WHERE
		w.survey_id = r.survey_id AND w.group_no = r.group_no) ORDER BY v.module_id, r.group_no`, ids).Scan(&rows).Error
	out := map[int64][]float64{}
	for _, r := range rows {
		for range max(1, r.Span) {
			out[r.ModuleID] = append(out[r.ModuleID], r.Volts/float64(max(1, r.Span)))
		}
	}
	return out, err
}

// VoltsUpTo returns the group voltages of a module's newest survey up to a time.
func VoltsUpTo(db *gorm.DB, moduleID int64, at time.Time) (map[int]float64, error) {
	var rows []store.SurveyReading
	err := db.Raw(`SELECT * FROM survey_readings r WHERE survey_id = (SELECT id FROM counting_surveys WHERE
		module_id = ?
		AND taken_at <= ? ORDER BY taken_at DESC, id DESC LIMIT 1)
		AND NOT EXISTS (SELECT 1 FROM withdrawals w WHERE w.survey_id = r.survey_id AND w.group_no =
		r.group_no)`, moduleID, at).Scan(&rows).Error
	out := make(map[int]float64, len(rows))
	for _, r := range rows {
		for k := range max(1, r.Span) {
			out[r.GroupNo+k] = r.Volts / float64(max(1, r.Span))
		}
	}
	return out, err
}

// ResultOf is what the rules made of one survey.
func ResultOf(db *gorm.DB, surveyID int64) (survey.Result, error) {
	row, _, err := kernel.Find[store.SurveyResult](db.Where("survey_id = ?", surveyID))
	if err != nil {
		return survey.Result{}, err
	}
	return row.Result.Get()
}

// VoltsOf are the groups' voltages of a module's newest survey, nil where there is none.
func (s *Room) VoltsOf(ctx context.Context, moduleID int64) ([]float64, error) {
	last, err := LastVolts(s.Store.DB.WithContext(ctx), moduleID)
	var out []float64
	for g := 1; g <= len(last); g++ {
		out = append(out, last[g])
	}
	return out, err
}
