package record

import (
	"gorm.io/gorm"

	"pandrel/store"
)

// What can be struck out as typed by mistake.
const (
	StrikeLook   = "look"
	StrikeSurvey = "survey"
	StrikeTest   = "test" // of a module, or of a bank
	StrikeProbes = "probes"

	StrikeCheck     = "check"
	StrikeIsolation = "isolation"
	StrikeRead      = "read" // end to end, or of some of its groups
	StrikeOpening   = "opening"

	// Not of a module, but of a procedure or a bank.
	StrikeStep       = "step"
	StrikeSense      = "sense"
	StrikeBankSurvey = "bank-survey"
)

// Counting are the rows of a table of records that count: not struck out, and of a log that was read again the newest
// reading. It is the one place that answers this; a view of the database says it for statements that join tables
// (counting_surveys and its like, charge_moved).
func Counting(db *gorm.DB, table string) *gorm.DB { return db.Table("counting_" + table) }

// StruckAlone lists what was taken back of a procedure, and of a bank what was recorded of it beside, newest first.
func StruckAlone(db *gorm.DB, of string, id int64) (out []store.Strike, err error) {
	err = db.Raw("SELECT * FROM strikes x WHERE x.kind = ? AND EXISTS (SELECT 1 FROM step_records r WHERE r.id = "+
		"x.row_id AND r.kind = ? AND r.subject_id = ?) OR ? <> 'module' AND (x.kind = ? AND EXISTS (SELECT 1 "+
		"FROM tests r WHERE r.id = x.row_id AND r.subject = 'bank' AND r.subject_id = ?) OR x.kind = ? AND "+
		"EXISTS (SELECT 1 FROM "+
		"bank_surveys r WHERE r.id = x.row_id AND r.bank_id = ?) OR x.kind = ? AND EXISTS (SELECT 1 FROM "+
		"sense_checks r WHERE r.id = x.row_id AND r.bank_id = ?)) ORDER BY x.id "+
		"DESC", StrikeStep, of, id, of, StrikeTest, id,
		StrikeBankSurvey, id, StrikeSense, id).Scan(&out).Error
	return out, err
}
