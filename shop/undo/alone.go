package undo

import (
	"context"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/bank/whole"
	"pandrel/core/base/station"
	"pandrel/core/module/survey"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// Alone is a record of a procedure or a bank that may be taken back as typed by mistake.
type Alone struct {
	Kind string
	ID   int64
	Word string // what kind of record it is
	Of   string // whose record it is: pack, standing, bank, build, module or regroup
	OfID int64
	// Module is its number where it is a module's.
	Module string
	What   string // what was recorded
	By     string
	At     time.Time
}

// ofModule reports whether it is a record of a module: its gates of people, or the steps of cutting it.
func (a Alone) ofModule() bool { return a.Of == "module" || a.Of == "regroup" }

// AloneByID reads a record of a procedure or a bank.
func (s *Room) AloneByID(ctx context.Context, kind string, id int64) (Alone, error) {
	return alone(s.Store.DB.WithContext(ctx), kind, id)
}

func alone(db *gorm.DB, of string, id int64) (a Alone, err error) {
	a = Alone{Kind: of, ID: id}
	for _, t := range tables {
		if t.kind == of {
			if a.Word, err = t.called(db, id); err != nil {
				return a, err
			}
		}
	}
	switch of {
	case record.StrikeStep:
		r, err := kernel.ByID[store.StepRecord](db, id, "step")
		if err != nil {
			return a, err
		}
		a.Of, a.OfID, a.By, a.At = r.Kind, r.SubjectID, r.DoneBy, r.DoneAt
		a.What = strings.TrimSpace(r.Step + " " + r.Reading)
		if a.ofModule() {
			m, err := kernel.ByID[store.Module](db, a.OfID, "module")
			a.Module = m.Number
			return a, err
		}
		return a, nil
	case record.StrikeSense:
		r, err := kernel.ByID[store.SenseCheck](db, id, "check of the sense leads")
		if err != nil {
			return a, err
		}
		a.Of, a.OfID, a.By, a.At, a.What = "bank", r.BankID, r.TakenBy, r.TakenAt, r.BMS
		return a, nil
	case record.StrikeBankSurvey:
		r, err := kernel.ByID[store.BankSurvey](db, id, "survey")
		if err != nil {
			return a, err
		}
		v, err := r.Result.Get()
		a.Of, a.OfID, a.By, a.At = "bank", r.BankID, r.TakenBy, r.TakenAt
		a.What = fmt.Sprintf("%.2f V in all", v.TotalV)
		return a, err
	case record.StrikeTest: // of a module it is taken back there
		r, t, err := wholeTest(db, id)
		a.Of, a.OfID, a.By, a.At, a.What = r.Subject, r.SubjectID, r.By, r.At, fmt.Sprintf("%.1f Ah", t.CapacityAh)
		return a, err
	}
	return a, kernel.Missing("record %q", of)
}

// wholeTest is a test of a whole bank, with what it came to; struck too, since it is asked for by its number.
func wholeTest(db *gorm.DB, id int64) (r store.Test, t whole.Test, err error) {
	r, err = kernel.Take[store.Test](db.Where("id = ? AND module_id IS NULL", id),
		kernel.Missing("test of a bank %d", id))
	if err != nil {
		return r, t, err
	}
	row, err := kernel.Take[store.TestResult](db.Where("test_id = ?", id), kernel.Missing("test of a bank %d", id))
	if err != nil {
		return r, t, err
	}
	t, err = store.Read[whole.Test](row.Gave)
	return r, t, err
}

// StrikeAlone takes back a record of a procedure or a bank that was typed by mistake. It stays in sight with the
// reason.
func (s *Room) StrikeAlone(ctx context.Context, kind string, id int64, reason, token string) error {
	if text := gates.ReasonText(reason, kernel.Signed(ctx)); text != "" {
		return kernel.Bad("reason", "%s", text)
	}
	return s.Action(ctx, token, "strike", func(tx *gorm.DB) error {
		for _, t := range tables {
			if t.kind == kind {
				return s.strikeAlone(tx, t, id, strings.TrimSpace(reason), token)
			}
		}
		return kernel.Missing("record %q", kind)
	})
}

func (s *Room) strikeAlone(tx *gorm.DB, t table, id int64, reason, token string) error {
	a, err := alone(tx, t.kind, id)
	if err != nil {
		return err
	}
	if err := mayStrike(tx, a); err != nil {
		return err
	}
	if err := onlyOnce(tx, t.kind, a.Word, id); err != nil {
		return err
	}
	row := store.Strike{Kind: t.kind, RowID: id, Reason: reason, By: kernel.Acts(tx), At: s.Now(), Token: token}
	if err := tx.Create(&row).Error; err != nil {
		return err
	}
	if err := sentAgain(tx, t.kind, id); err != nil {
		return err
	}
	if t.kind == record.StrikeTest { // what it held is held no more
		_, of, err := wholeTest(tx, id)
		if err != nil {
			return err
		}
		if err := s.Record.TouchStopped(tx, of.Stopped); err != nil {
			return err
		}
	}
	if t.kind == record.StrikeBankSurvey {
		r, err := kernel.ByID[store.BankSurvey](tx, id, "survey")
		if err != nil {
			return err
		}
		v, err := r.Result.Get()
		if err != nil {
			return err
		}
		if err := s.Record.TouchStopped(tx, v.Held); err != nil {
			return err
		}
	}
	about := kernel.About{Bank: a.OfID}
	if a.ofModule() {
		about = kernel.About{Module: a.OfID}
	}
	return s.Log(tx, "struck", about, "Taken back as a mistake, %s (%s): %s", a.Word, a.What, reason)
}

// mayStrike keeps what other work stands on: steps are taken back in the opposite order, and not under a bank that is
// in service; a group confirmed below never-recharge stays on record.
func mayStrike(tx *gorm.DB, a Alone) error {
	switch a.Kind {
	case record.StrikeStep:
		if a.Of == "regroup" {
			m, err := kernel.ByID[store.Module](tx, a.OfID, "module")
			if err != nil {
				return err
			}
			if m.Became != "" {
				return kernel.Bad("", "%s became %s on the strength of its steps: they stay on record", m.Number,
					m.Became)
			}
		}
		if a.Of == "bank" || a.Of == "build" {
			b, err := kernel.ByID[store.Bank](tx, a.OfID, "bank")
			if err != nil {
				return err
			}
			if b.Station == station.Keep {
				return kernel.Bad("", "%s is in service on the strength of its gates: take it out of service first",
					b.Name)
			}
		}
		var later int64
		q := record.Counting(tx, "step_records")
		if err := q.Where("kind = ? AND subject_id = ? AND id > ? AND version = (SELECT version FROM step_records "+
			"WHERE id = ?)", a.Of, a.OfID, a.ID, a.ID).Count(&later).Error; err != nil {
			return err
		}
		if later > 0 {
			return kernel.Bad("", "%d later steps were taken on the strength of this one: take the last one back first",
				later)
		}
	case record.StrikeBankSurvey:
		r, err := kernel.ByID[store.BankSurvey](tx, a.ID, "survey")
		if err != nil {
			return err
		}
		v, err := r.Result.Get()
		if err != nil {
			return err
		}
		for _, g := range v.Survey.Groups {
			if g.Verdict == survey.Quarantine {
				return kernel.BlockedBy(kernel.CodeNoWithdrawal, a.What,
					"A group of it was confirmed below never-recharge: "+
						"that is never taken back.", "The bank stays out of work.")
			}
		}
	}
	return nil
}
