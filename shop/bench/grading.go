package bench

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
	e, err := s.Record.Evidence(s.Store.DB.WithContext(ctx), m, t)
	if err != nil {
		return grade.Grade{}, err
	}
	return grade.Judge(e, s.Policy.Grade)
}

// GradeModule grades a module from what is on record and moves it on: accepted and watched modules
// to the stock, rejected ones off the path.
func (s *Room) GradeModule(ctx context.Context, number, by, token string) (g grade.Grade, err error) {
	err = s.Action(ctx, token, "grade", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, number)
		if err != nil {
			return err
		}
		if m.BankID != nil && m.Fitness != "" && m.Fitness != grade.NotYet {
			return kernel.Bad("", "%s stands in a bank: take it out before grading it again", m.Number)
		}
		t, err := kernel.TypeByID(tx, m.TypeID)
		if err != nil {
			return err
		}
		e, err := s.Record.Evidence(tx, m, t)
		if err != nil {
			return err
		}
		if g, err = grade.Judge(e, s.Policy.Grade); err != nil {
			return err
		}
		row := store.Grading{ModuleID: m.ID, GradedBy: kernel.Initials(by), GradedAt: s.Now(),
			RulesVersion: kernel.RulesVersion, Class: g.Class, Fitness: g.Fitness, Grade: store.JSONOf(g)}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"class": row.Class,
			"fitness": row.Fitness}).Error; err != nil {
			return err
		}
		if err := s.Log(tx, row.GradedBy, "grade", kernel.About{Module: m.ID}, "Graded: %s", gradeText(g)); err != nil {
			return err
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
			return err
		}
		return s.Record.Rehold(tx, m.ID)
	})
	return g, err
}

func gradeText(g grade.Grade) string {
	if g.Class == grade.Open {
		return string(g.Fitness)
	}
	return "class " + string(g.Class) + ", " + string(g.Fitness)
}
