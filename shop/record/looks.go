package record

import (
	"context"

	"pandrel/core/base/finding"
	"pandrel/store"
)

// AskedHistory is what a module's past was asked for, and what the answer was.
var AskedHistory = []string{"unknown", "clean", "flood", "crash", "recall"}

// Inspected is a look with its findings.
type Inspected struct {
	store.Inspection
	Found    []finding.Finding
	Pictures []store.Picture
}

// LastLook returns a module's newest look that counts with what it found and its pictures, nil where there is none.
func (s *Room) LastLook(ctx context.Context, moduleID int64) (*Inspected, error) {
	db := s.Store.DB.WithContext(ctx)
	var rows []store.Inspection
	if err := Counting(db, "inspections").Where("module_id = ?",
		moduleID).Order("id DESC").Limit(1).Find(&rows).Error; err != nil || len(rows) == 0 {
		return nil, err
	}
	out := &Inspected{Inspection: rows[0]}
	var err error
	if out.Found, err = rows[0].Findings.Get(); err != nil {
		return nil, err
	}
	err = db.Where("inspection_id = ?", rows[0].ID).Order("id").Find(&out.Pictures).Error
	return out, err
}
