package grade

import (
	"context"
	"errors"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/typed"
	"pandrel/core/module/grade"
	"pandrel/core/test/parts"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// LimitsInput are limits that a shop wants to grade by. Version is that of the limits it saw.
type LimitsInput struct {
	Policy  grade.Policy
	Why     string
	Version int64
	Token   string
}

// Checked says what cannot be about the limits themselves.
func (in LimitsInput) Checked() error {
	var fe *grade.FieldError
	if err := in.Policy.Check(); errors.As(err, &fe) {
		return kernel.Bad(fe.Field, "%s", fe.Text)
	}
	return nil
}

// SaveLimits writes new limits down. What was graded keeps its grade until somebody grades it again; where it no
// longer holds that is said.
func (s *Room) SaveLimits(ctx context.Context, in LimitsInput) error {
	in.Why = strings.TrimSpace(in.Why)
	if err := in.Checked(); err != nil {
		return err
	}
	if most := typed.Longest("note"); len([]rune(in.Why)) > most {
		return kernel.Bad("why", "expected at most %d letters", most)
	}
	err := s.Action(ctx, in.Token, "limits", func(tx *gorm.DB) error {
		newest, _, err := kernel.Find[store.GradeLimits](tx.Order("id DESC"))
		if err != nil {
			return err
		}
		before := s.Policy.Grade
		if newest.ID > 0 {
			before = newest.Policy()
		}
		switch {
		case newest.ID != in.Version:
			return kernel.Bad("", "%s changed the limits meanwhile: look at them again before you save yours",
				newest.By)
		case in.Policy == before:
			return kernel.Bad("", "these are the limits that count already")
		case in.Why == "" && len(in.Policy.Looser(before)) > 0:
			return kernel.Bad("why", "less is asked for than before (%s): write down why",
				strings.Join(in.Policy.Looser(before), "; "))
		}
		p := in.Policy
		return tx.Create(&store.GradeLimits{ClassA: p.ClassA, ClassB: p.ClassB, ClassC: p.ClassC,
			ResistanceCap: p.ResistanceCap, Why: in.Why, By: kernel.Who(ctx), At: s.Now(), Token: in.Token}).Error
	})
	s.LimitsChanged()
	return err
}

// LimitsHistory are all limits that ever counted, newest first.
func (s *Room) LimitsHistory(ctx context.Context) (out []store.GradeLimits, err error) {
	err = s.Store.DB.WithContext(ctx).Order("id DESC").Limit(100).Find(&out).Error
	return out, err
}

// Changed is a graded module that other limits would put into another class by its capacity alone.
type Changed struct {
	Number   string
	Ah       float64
	RatedAh  float64
	Now, New grade.Class
}

// WhatIf lists the graded modules whose capacity alone gives them another class by other limits than by those that
// count. graded is how many were looked at.
func (s *Room) WhatIf(ctx context.Context, p grade.Policy) (out []Changed, graded int, err error) {
	db := s.Store.DB.WithContext(ctx)
	now, _, err := s.Limits(db)
	if err != nil {
		return nil, 0, err
	}
	var rows []struct {
		Number     string
		CapacityAh float64
		PlateAh    float64
		RatedAh    float64
	}
	if err := db.Raw("SELECT m.number, m.capacity_ah, m.plate_ah, t.rated_ah FROM modules m JOIN module_types t ON " +
		"t.id = m.type_id WHERE m.class <> '' AND m.capacity_ah > 0 ORDER BY m.number").Scan(&rows).Error; err != nil {
		return nil, 0, err
	}
	for _, r := range rows {
		c := Changed{Number: r.Number, Ah: r.CapacityAh, RatedAh: r.PlateAh}
		if c.RatedAh == 0 {
			c.RatedAh = r.RatedAh
		}
		if c.Now, c.New = now.ByCapacity(c.Ah, c.RatedAh), p.ByCapacity(c.Ah, c.RatedAh); c.Now != c.New {
			out = append(out, c)
		}
	}
	return out, len(rows), nil
}

// NextUse is the best that can be made of a module that no bank takes, by what is on record of it.
func (s *Room) NextUse(ctx context.Context, m store.Module, t store.ModuleType, g grade.Grade) (grade.Uses, error) {
	db := s.Store.DB.WithContext(ctx)
	e, err := s.Record.Evidence(db, m, t)
	if err != nil || e.RatedAh <= 0 {
		return nil, err
	}
	p, _, err := s.Limits(db)
	if err != nil {
		return nil, err
	}
	var k grade.Known
	lay, ok, err := record.LayoutFor(db, m, t)
	if err != nil {
		return nil, err
	}
	if ok {
		k.Series = lay.Series
	}
	list, err := record.TestsOf(db, m, t)
	if err != nil {
		return nil, err
	}
	tests, j, err := record.PartsOf(list)
	if err != nil {
		return nil, err
	}
	if j.Complete && len(j.Parts) == k.Series { // every group by itself: the weakest can be left out
		k.EndedBy, k.OthersAh = j.WeakestFrom, secondWeakest(j)
	} else if len(tests) == 0 {
		k = record.Ended(list)
		k.Series = lay.Series
	}
	return grade.NextUse(g, e, k, p), nil
}

// secondWeakest is what the parts give without the weakest.
func secondWeakest(j parts.Joined) float64 {
	best := 0.0
	for _, p := range j.Parts {
		if p.From != j.WeakestFrom && (best == 0 || p.Ah < best) {
			best = p.Ah
		}
	}
	return best
}
