package shop_test

import (
	"context"
	"errors"
	"slices"
	"testing"

	"gorm.io/gorm"

	"pandrel/core/base/station"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// Whatever is saved is signed by who acts in its context; what happened by itself by nobody.
func TestWhoActs(t *testing.T) {
	ctx := context.Background()
	if kernel.Who(ctx) != "–" || kernel.Signed(ctx) != "" {
		t.Errorf("%q", kernel.Who(ctx))
	}
	ctx = kernel.By(ctx, " MO ")
	if kernel.Who(ctx) != "MO" || kernel.Signed(ctx) != "MO" || kernel.Who(kernel.By(ctx, "")) != "–" {
		t.Errorf("%q", kernel.Who(ctx))
	}
	r := newRig(t)
	r.must(r.Action(kernel.By(r.ctx, "RB"), r.token(), "x", func(tx *gorm.DB) error {
		if err := r.Log(tx, "test", kernel.About{}, "by a hand"); err != nil {
			return err
		}
		return r.Note(tx, "test", kernel.About{}, "by itself")
	}))
	var who []string
	r.must(r.Store.DB.Model(&store.Event{}).Order("id DESC").Limit(2).Pluck("who", &who).Error)
	if !slices.Equal(who, []string{"–", "RB"}) {
		t.Errorf("%v", who)
	}
}

// An action that says something of a module has it judged again, once, when all is written; one that only received it,
// or that failed, does not.
func TestWhatWasTouchedIsJudgedAgain(t *testing.T) {
	r := newRig(t)
	var ids []int64
	for range 3 {
		row := store.Module{Number: "W-" + r.token(), LotID: r.lot.ID, TypeID: r.typ.ID, Station: station.Inspect}
		r.must(r.Store.DB.Create(&row).Error)
		ids = append(ids, row.ID)
	}
	var held []int64
	r.Hold = func(_ *gorm.DB, id int64) error { held = append(held, id); return nil }
	do := func(f func(tx *gorm.DB) error) error { held = nil; return r.Action(r.ctx, r.token(), "x", f) }
	say := func(tx *gorm.DB, kind string, id int64) error {
		return r.Log(tx, kind, kernel.About{Module: id}, "something")
	}
	r.must(do(func(tx *gorm.DB) error {
		if err := errors.Join(say(tx, "test", ids[1]), say(tx, "test", ids[0]), say(tx, "test", ids[1])); err != nil {
			return err
		}
		kernel.Touch(tx, ids[2])
		kernel.Touch(tx, 0)
		if len(held) > 0 {
			t.Error("judged before all was written")
		}
		return nil
	}))
	if !slices.Equal(held, []int64{ids[1], ids[0], ids[2]}) {
		t.Errorf("%v", held)
	}
	r.must(do(func(tx *gorm.DB) error { return say(tx, kernel.Received, ids[1]) }))
	if len(held) > 0 {
		t.Errorf("%v", held)
	}
	if err := do(func(tx *gorm.DB) error {
		return errors.Join(say(tx, "test", ids[1]),
			errors.New("no"))
	}); err == nil ||
		len(held) > 0 {
		t.Errorf("%v, %v", err, held)
	}
}
