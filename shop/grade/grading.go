package grade

import (
	"context"

	"gorm.io/gorm"

	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// PreviewGrade grades a module from what is on record, without saving.
func (s *Room) PreviewGrade(ctx context.Context, m store.Module, t store.ModuleType) (grade.Grade, error) {
	db := s.Store.DB.WithContext(ctx)
	e, err := s.Record.Evidence(db, m, t)
	if err != nil {
		return grade.Grade{}, err
	}
	return s.judge(db, e, m, t)
}

// judge grades by what is on record; without a rating there is no class.
func (s *Room) judge(db *gorm.DB, e grade.Evidence, m store.Module, t store.ModuleType) (grade.Grade, error) {
	if e.RatedAh <= 0 {
		return grade.Grade{}, kernel.Bad("", "the rated capacity of %s is not known: write it into %s, or onto the "+
			"module, before it is graded", m.Number, t.Name)
	}
	p, id, err := s.Limits(db)
	if err != nil {
		return grade.Grade{}, err
	}
	g, err := grade.JudgeEvidence(e, p)
	g.Limits = id
	return g, err
}

// GradeModule grades a module from what is on record and moves it on: accepted and watched modules
// to the stock, rejected ones off the path.
func (s *Room) GradeModule(ctx context.Context, number, token string) (g grade.Grade, err error) {
	err = s.Action(ctx, token, "grade", func(tx *gorm.DB) error {
		g, err = s.grade(tx, number)
		return err
	})
	return g, err
}

// GradeAll grades several modules with one confirmation: all of them, or none.
func (s *Room) GradeAll(ctx context.Context, numbers []string, token string) error {
	return s.Action(ctx, token, "grade", func(tx *gorm.DB) error {
		for _, n := range numbers {
			if _, err := s.grade(tx, n); err != nil {
				return err
			}
		}
		return nil
	})
}

// grade grades one module inside a transaction.
func (s *Room) grade(tx *gorm.DB, number string) (g grade.Grade, err error) {
	m, err := kernel.ModuleByNumber(tx, number)
	if err != nil {
		return g, err
	}
	if m.BankID != nil && m.Fitness != "" && m.Fitness != grade.NotYet {
		return g, kernel.Bad("", "%s stands in a bank: take it out before grading it again", m.Number)
	}
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return g, err
	}
	e, err := s.Record.Evidence(tx, m, t)
	if err != nil {
		return g, err
	}
	if g, err = s.judge(tx, e, m, t); err != nil {
		return g, err
	}
	row := store.Grading{ModuleID: m.ID, GradedBy: kernel.Acts(tx), GradedAt: s.Now(),
		RulesVersion: kernel.RulesVersion, Class: g.Class, Fitness: g.Fitness, Grade: store.JSONOf(g)}
	if err := tx.Create(&row).Error; err != nil {
		return g, err
	}
	if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"class": row.Class,
		"fitness": row.Fitness, "class_was": "", "fitness_was": ""}).Error; err != nil {
		return g, err
	}
	if err := s.Log(tx, "grade", kernel.About{Module: m.ID}, "Graded: %s", gradeText(g)); err != nil {
		return g, err
	}
	switch g.Fitness {
	case grade.Accept, grade.Watch:
		to := station.Design
		if m.BankID != nil { // it was planned with before it was tested
			to = station.Wire
		}
		err = s.MoveTo(tx, &m, to)
	case grade.Reject:
		err = s.MoveTo(tx, &m, station.Out)
	}
	if err != nil {
		return g, err
	}
	return g, nil
}

func gradeText(g grade.Grade) string {
	if g.Class == grade.Open {
		return string(g.Fitness)
	}
	return "class " + string(g.Class) + ", " + string(g.Fitness)
}
