package record

import (
	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/module/teardown"
	"pandrel/store"
)

func TeardownOf(db *gorm.DB, typeID int64) (row store.Teardown, steps []teardown.Step, ok bool, err error) {
	var rows []store.Teardown
	if err = db.Where("type_id = ?", typeID).Order("id DESC").Limit(1).Find(&rows).Error; err != nil || len(rows) == 0 {
		return row, nil, false, err
	}
	steps, err = rows[0].Steps.Get()
	return rows[0], steps, err == nil, err
}

// Opening is how far a module is opened or closed.
type Opening struct {
	TeardownID int64
	States     []teardown.State
	Tray       []teardown.Part
	Findings   []finding.Finding
	Begun      bool
	Done       bool
	Last       *store.TeardownRecord // the newest step, nil where none was taken
}

// OpeningOf says how far a module is opened, by the list of its type or by the one it was begun by; ok is false where
// its type has none.
func OpeningOf(db *gorm.DB, m store.Module) (o Opening, ok bool, err error) {
	row, steps, ok, err := TeardownOf(db, m.TypeID)
	if err != nil || !ok {
		return o, false, err
	}
	var rows []store.TeardownRecord
	if err = Counting(db, "teardown_records").Where("module_id = ?", m.ID).Order("id").Find(&rows).Error; err != nil {
		return o, false, err
	}
	var records []teardown.Record
	for _, r := range rows {
		records = append(records, teardown.Record{Key: r.Step, Way: r.Way, Fasteners: r.Fasteners, Parts: r.Parts})
	}
	on := func(id int64, steps []teardown.Step) Opening {
		o := Opening{TeardownID: id, States: teardown.States(m.Number, steps, records), Begun: len(rows) > 0}
		if n := len(rows); n > 0 {
			o.Last = &rows[n-1]
		}
		o.Tray = teardown.Tray(o.States)
		o.Findings, o.Done = teardown.Findings(o.States)
		return o
	}
	if n := len(rows); n > 0 && rows[n-1].TeardownID != row.ID {
		// The list changed while the module was open: it is closed by the one it was opened by, so that
		// nothing vanishes from its tray.
		var begun store.Teardown
		if err := db.Where("id = ?", rows[n-1].TeardownID).Take(&begun).Error; err != nil {
			return o, false, err
		}
		old, err := begun.Steps.Get()
		if err != nil {
			return o, false, err
		}
		if o := on(begun.ID, old); !o.Done {
			return o, true, nil
		}
	}
	return on(row.ID, steps), true, nil
}
