package measure

import (
	"context"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/module/layout"
	"pandrel/core/module/lead"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// Kinds of lead checks.
const (
	CheckContinuity = "continuity"
	CheckVolts      = "volts"
)

// LeadInput is a lead as it was written down.
type LeadInput struct {
	ID      int64
	Version int
	Name    string
	TypeID  int64
	Spec    lead.Lead
	Note    string
	Token   string
}

// SaveLead makes a lead or changes one. A changed lead must be checked again before it is used.
func (s *Room) SaveLead(ctx context.Context, in LeadInput) (row store.Lead, err error) {
	in.Name = strings.TrimSpace(in.Name)
	if in.Name == "" {
		return row, kernel.Bad("name", "expected a name for the lead, such as the one on its label")
	}
	err = s.Action(ctx, in.Token, "lead", func(tx *gorm.DB) error {
		t, err := kernel.TypeByID(tx, in.TypeID)
		if err != nil {
			return kernel.Bad("type", "choose the module type it is for")
		}
		m, ok, err := record.LayoutOf(tx, t)
		if err != nil {
			return err
		}
		if !ok {
			return kernel.Bad("type", "%s has no layout yet: map one module of this type first", t.Name)
		}
		if _, err := lead.CheckPins(in.Spec, m); err != nil {
			return kernel.Bad("wires", "%v", err)
		}
		if err := kernel.NameFree[store.Lead](tx, "lead", in.Name, in.ID); err != nil {
			return err
		}
		row = store.Lead{ID: in.ID, Name: in.Name, TypeID: t.ID, Spec: store.JSONOf(in.Spec),
			Note: strings.TrimSpace(in.Note), Version: 1, CreatedAt: s.Now()}
		if in.ID == 0 {
			if err := tx.Create(&row).Error; err != nil {
				return err
			}
			return s.Log(tx, "lead", kernel.About{Typ: t.ID}, "Lead %s written down", row.Name)
		}
		res := tx.Model(&store.Lead{}).Where("id = ? AND version = ?", in.ID,
			in.Version).Updates(map[string]any{"name": row.Name, "spec": row.Spec, "note": row.Note,
			"version": in.Version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			now, err := kernel.ByID[store.Lead](tx, in.ID, "lead")
			if err != nil {
				return err
			}
			return &kernel.Conflict{What: "Lead " + now.Name, Version: now.Version,
				Saved: map[string]string{"name": now.Name, "note": now.Note}}
		}
		return s.Log(tx, "lead", kernel.About{Typ: t.ID}, "Lead %s changed: to be checked again", row.Name)
	})
	return row, err
}

// ProposeLead returns the lead that a type's layout asks for.
func (s *Room) ProposeLead(ctx context.Context, t store.ModuleType) (a lead.Lead, ok bool, err error) {
	m, ok, err := s.Record.LayoutOf(ctx, t)
	if err != nil || !ok {
		return a, false, err
	}
	pins := strings.Fields(t.Pins)
	return lead.For(m, pins, fmt.Sprintf("%d-pin connector", len(pins))), true, nil
}

// LeadView is a lead with what is known of it.
type LeadView struct {
	store.Lead
	Type       store.ModuleType
	Spec       lead.Lead
	Design     []finding.Finding // what does not fit the module type
	Continuity *LeadCheck        // newest of this lead as it is now
	Volts      *LeadCheck
	Ready      bool // both checks passed and nothing stands against its design
	Series     int
}

// LeadCheck is a kept check with its findings.
type LeadCheck struct {
	store.LeadCheck
	Found []finding.Finding
}

// State says in one word how far a lead is.
func (v LeadView) State() string {
	switch {
	case v.Ready:
		return "ok"
	case finding.Blocks(v.Design) || v.Continuity != nil && !v.Continuity.OK || v.Volts != nil && !v.Volts.OK:
		return "stop"
	}
	return "not yet"
}

// Leads lists the leads by name.
func (s *Room) Leads(ctx context.Context) ([]LeadView, error) {
	db := s.Store.DB.WithContext(ctx)
	var rows []store.Lead
	if err := db.Order("name").Find(&rows).Error; err != nil {
		return nil, err
	}
	var out []LeadView
	for _, r := range rows {
		v, err := leadView(db, r)
		if err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, nil
}

// LeadsFor returns the names of the leads for a type that passed their checks, and of those that did not, or not yet.
func (s *Room) LeadsFor(ctx context.Context, typeID int64) (ready, others []string, err error) {
	db := s.Store.DB.WithContext(ctx)
	var rows []store.Lead
	if err := db.Where("type_id = ?", typeID).Order("name").Find(&rows).Error; err != nil {
		return nil, nil, err
	}
	for _, r := range rows {
		v, err := leadView(db, r)
		if err != nil {
			return nil, nil, err
		}
		if v.Ready {
			ready = append(ready, r.Name)
		} else {
			others = append(others, r.Name)
		}
	}
	return ready, others, nil
}

// LeadByID finds a lead.
func (s *Room) LeadByID(ctx context.Context, id int64) (LeadView, error) {
	return leadByID(s.Store.DB.WithContext(ctx), id)
}

func leadByID(db *gorm.DB, id int64) (LeadView, error) {
	row, err := kernel.ByID[store.Lead](db, id, "lead")
	if err != nil {
		return LeadView{}, err
	}
	return leadView(db, row)
}

func leadView(db *gorm.DB, row store.Lead) (v LeadView, err error) {
	v.Lead = row
	if v.Spec, err = row.Spec.Get(); err != nil {
		return v, err
	}
	if v.Type, err = kernel.TypeByID(db, row.TypeID); err != nil {
		return v, err
	}
	var m layout.Map
	if m, _, err = record.LayoutOf(db, v.Type); err != nil {
		return v, err
	}
	v.Series = m.Series
	if v.Design, err = lead.CheckPins(v.Spec, m); err != nil {
		return v, err
	}
	last := func(kind string) (*LeadCheck, error) {
		var cs []store.LeadCheck
		if err := db.Where("lead_id = ? AND kind = ? AND spec = ?", row.ID, kind,
			row.Spec).Order("id DESC").Limit(1).Find(&cs).Error; err != nil || len(cs) == 0 {
			return nil, err
		}
		fs, err := cs[0].Findings.Get()
		return &LeadCheck{cs[0], fs}, err
	}
	if v.Continuity, err = last(CheckContinuity); err != nil {
		return v, err
	}
	if v.Volts, err = last(CheckVolts); err != nil {
		return v, err
	}
	v.Ready = v.Continuity != nil && v.Continuity.OK && v.Volts != nil && v.Volts.OK && !finding.Blocks(v.Design)
	return v, nil
}

// LeadCheckInput is one check of a lead: by continuity, or by voltage with a module that was surveyed.
type LeadCheckInput struct {
	ID      int64
	Kind    string
	Touched []lead.Touch
	Module  string
	Volts   []record.TypedVolts
	Token   string
}

// RecordLeadCheck keeps a check and judges it. The check by voltage waits for the one by
// continuity: a lead whose wires touch each other shorts a group when it is plugged in.
func (s *Room) RecordLeadCheck(ctx context.Context, in LeadCheckInput) (fs []finding.Finding, err error) {
	err = s.Action(ctx, in.Token, "lead-check", func(tx *gorm.DB) error {
		v, err := leadByID(tx, in.ID)
		if err != nil {
			return err
		}
		row := store.LeadCheck{LeadID: v.ID, Spec: v.Lead.Spec, Kind: in.Kind, TakenBy: kernel.Who(ctx),
			TakenAt: s.Now(), Token: in.Token}
		switch in.Kind {
		case CheckContinuity:
			if fs, err = lead.JudgeContinuity(v.Spec, in.Touched); err != nil {
				return kernel.Bad("", "%v", err)
			}
			row.Readings = store.JSONOf[any](in.Touched)
		case CheckVolts:
			if fs, err = s.checkVolts(tx, v, in, &row); err != nil {
				return err
			}
		default:
			return kernel.Bad("", "expected a check by continuity or by voltage")
		}
		row.OK, row.Findings = !finding.Blocks(fs), store.JSONOf(fs)
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		text := "passed"
		if !row.OK {
			text = fs[0].Text
		}
		return s.Log(tx, "lead", kernel.About{Typ: v.TypeID}, "Lead %s, check by %s: %s", v.Name, in.Kind, text)
	})
	return fs, err
}

// codeContinuityFirst names the finding that a lead is checked against volts before it was by continuity.
const codeContinuityFirst = "continuity-first"

func (s *Room) checkVolts(tx *gorm.DB, v LeadView, in LeadCheckInput, row *store.LeadCheck) ([]finding.Finding, error) {
	if v.Continuity == nil || !v.Continuity.OK {
		return nil, kernel.BlockedBy(codeContinuityFirst, v.Name, "The check by continuity has not passed: plugged "+
			"in, wires that touch each other short a group.", "Do it first, with nothing plugged in.")
	}
	m, err := kernel.ModuleByNumber(tx, in.Module)
	if err != nil {
		return nil, kernel.Bad("module", "%q: expected the number of a surveyed %s", in.Module, v.Type.Name)
	}
	if err := kernel.Usable(m); err != nil {
		return nil, err
	}
	last, err := record.LastVolts(tx, m.ID)
	if err != nil {
		return nil, err
	}
	if m.TypeID != v.TypeID || len(last) != v.Series {
		return nil, kernel.Bad("module", "%s is not a surveyed %s: expected one, so that each input's voltage is "+
			"known", m.Number, v.Type.Name)
	}
	groups := make([]float64, v.Series)
	for i := range groups {
		groups[i] = last[i+1]
	}
	expected, err := lead.Expected(v.Spec, groups)
	if err != nil {
		return nil, kernel.Bad("", "%v", err)
	}
	var volts []float64
	for _, x := range in.Volts {
		volts = append(volts, x.Volts)
	}
	verdict, err := lead.JudgeVolts(v.Name, expected, volts, survey.DefaultPolicy.ResolutionVolts)
	if err != nil {
		return nil, kernel.Bad("", "%v", err)
	}
	row.ModuleID, row.Readings = &m.ID, store.JSONOf[any](in.Volts)
	return verdict.Findings, nil
}
