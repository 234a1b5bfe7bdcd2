package record

import "gorm.io/gorm"

// What can be struck out as typed by mistake.
const (
	StrikeHand   = "hand"
	StrikeLook   = "look"
	StrikeSurvey = "survey"
	StrikeTrace  = "trace"
	StrikeProbes = "probes"
)

// notStruck leaves out rows of a table that were struck out.
func notStruck(table, kind string) (string, string) {
	return "NOT EXISTS (SELECT 1 FROM strikes x WHERE x.kind = ? AND x.row_id = " + table + ".id)", kind
}

// standing is a query without the rows of a table that were struck out.
func standing(db *gorm.DB, table, kind string) *gorm.DB {
	where, arg := notStruck(table, kind)
	return db.Where(where, arg)
}
