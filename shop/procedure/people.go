package procedure

import (
	"context"

	"gorm.io/gorm"

	"pandrel/core/bank/whole"
	"pandrel/core/base/finding"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/steps"
	"pandrel/store"
)

// PeopleView is the gates of people of one module.
type PeopleView struct {
	Module    store.Module
	FullVolts float64
	States    []gates.State
	Records   []steps.Record

	work *steps.Work
}

// PeopleOf are the gates of people of a module; there are none where it stays below the limit of touch.
func (s *Room) PeopleOf(ctx context.Context, number string) (PeopleView, error) {
	m, err := s.Module(ctx, number)
	if err != nil {
		return PeopleView{}, err
	}
	return s.modulePeople(s.Store.DB.WithContext(ctx), m.ID)
}

func (s *Room) modulePeople(db *gorm.DB, id int64) (v PeopleView, err error) {
	if v.Module, err = kernel.ByID[store.Module](db, id, "module"); err != nil {
		return v, err
	}
	t, err := kernel.TypeByID(db, v.Module.TypeID)
	if err != nil {
		return v, err
	}
	list, full, err := s.Record.People(db, v.Module, t)
	if err != nil {
		return v, err
	}
	v.FullVolts = full
	v.work = &steps.Work{Kind: Module, ID: id, Name: v.Module.Number + ", ", Event: "gate", Named: true,
		About: kernel.About{Module: id}}
	err = v.work.Recall(db, func([]steps.Record) []gates.Step { return list })
	v.States, v.Records = v.work.States, v.work.Records
	return v, err
}

// keepWhole keeps what a bank gave at its gate as a test of the whole bank: it is one, from full to the first group at
// its floor, as the gate asks.
func keepWhole(tx *gorm.DB, s *Room, bankID int64, ah float64, of store.StepRecord) error {
	t := whole.Test{CapacityAh: ah, FromFull: true, Complete: true}
	return record.Whole(tx, store.Test{Subject: "bank", SubjectID: bankID, By: of.DoneBy, At: s.Now(),
		Findings: store.JSONOf([]finding.Finding{}), Token: of.Token + "-whole"}, t, t)
}
