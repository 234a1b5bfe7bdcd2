package record

import (
	"context"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/station"
	"pandrel/core/module/look"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// What can be struck out as typed by mistake.
const (
	StrikeHand   = "hand"
	StrikeLook   = "look"
	StrikeSurvey = "survey"
	StrikeTrace  = "trace"
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

// UndoSeconds is how long the last thing that was saved may be taken back without a reason.
const UndoSeconds = 60

// tables are where each kind of record is kept: its rows bear the token of the form that made them.
var tables = []struct{ kind, table, at, word string }{
	{StrikeLook, "inspections", "seen_at", "look"}, {StrikeSurvey, "surveys", "taken_at", "survey"},
	{StrikeHand, "hand_results", "taken_at", "result typed by hand"}, {StrikeTrace, "traces", "uploaded_at", "log"},
}

// ofForm picks the rows that one form made: its token, or its token with a number for each of several. The range stands
// for LIKE, which would read every row.
const ofForm = "(r.token = ? OR r.token >= ? AND r.token < ?)"

// StrikeInput takes back what was typed by mistake: one row of a kind, with the reason in writing.
type StrikeInput struct {
	Number string
	Kind   string
	RowID  int64
	Reason string
	By     string
	Token  string
}

// Strike takes back a record of a module that was typed by mistake: the wrong module, the wrong file. It stays in
// sight,
// with the reason, and counts no more. What was confirmed below never-recharge stays.
func (s *Room) Strike(ctx context.Context, in StrikeInput) error {
	if text := gates.ReasonText(in.Reason, in.By); text != "" {
		return kernel.Bad("reason", "%s", text)
	}
	return s.Action(ctx, in.Token, "strike", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		for _, t := range tables {
			if t.kind != in.Kind {
				continue
			}
			var n int64
			if err := tx.Table(t.table).Where("id = ? AND module_id = ?", in.RowID, m.ID).Count(&n).Error; err != nil {
				return err
			}
			if n == 0 {
				return kernel.Missing("%s %d of %s", t.word, in.RowID, m.Number)
			}
			return s.strike(tx, m, in.Kind, t.word, in.RowID, strings.TrimSpace(in.Reason), in.By, in.Token)
		}
		return kernel.Bad("kind", "expected a look, a survey, a result or a log")
	})
}

// Undo takes back what a form saved within the last minute, by its token. It says what that was.
func (s *Room) Undo(ctx context.Context, saved, by, token string) (what string, err error) {
	if len(saved) < 8 {
		return "", kernel.Bad("", "there is nothing to undo")
	}
	err = s.Action(ctx, token, "undo", func(tx *gorm.DB) error {
		done := 0
		for _, t := range tables {
			var rows []struct{ ID, ModuleID int64 }
			err := tx.Raw("SELECT id, module_id FROM "+t.table+" r WHERE "+ofForm+" AND "+t.at+" >= ? ORDER BY id",
				saved,
				saved+"-", saved+".", s.Now().Add(-UndoSeconds*time.Second)).Scan(&rows).Error
			if err != nil {
				return err
			}
			for i, r := range rows {
				m, err := kernel.ByID[store.Module](tx, r.ModuleID, "module")
				if err != nil {
					return err
				}
				if err := s.strike(tx, m, t.kind, t.word, r.ID, "undone at once", by,
					fmt.Sprintf("%s-%s-%d", token, t.kind, i)); err != nil {
					return err
				}
				done++
				what = fmt.Sprintf("%s of %s", t.word, m.Number)
			}
		}
		if done == 0 {
			return kernel.Bad("", "that was saved more than a minute ago, or cannot be undone: open the module and "+
				"strike "+
				"it out with a reason")
		}
		if done > 1 {
			what = fmt.Sprintf("%d records", done)
		}
		return nil
	})
	return what, err
}

// strike keeps that a row counts no more, and puts its module where it is without it.
func (s *Room) strike(tx *gorm.DB, m store.Module, kind, word string, id int64, reason, by, token string) error {
	if m.EverBelowNever {
		return kernel.BlockedBy("no-withdrawal", m.Number, fmt.Sprintf("%s was confirmed below never-recharge: "+
			"nothing of "+
			"its record is taken back.", m.Number), "The module stays in quarantine.")
	}
	var n int64
	if err := tx.Model(&store.Strike{}).Where("kind = ? AND row_id = ?", kind, id).Count(&n).Error; err != nil {
		return err
	}
	if n > 0 {
		return kernel.Bad("", "this %s of %s was taken back already", word, m.Number)
	}
	row := store.Strike{Kind: kind, RowID: id, ModuleID: &m.ID, Reason: reason, By: kernel.Initials(by), At: s.Now(),
		Token: token}
	if err := tx.Create(&row).Error; err != nil {
		return err
	}
	if err := s.Log(tx, row.By, "struck", kernel.About{Module: m.ID}, "Taken back as a mistake, %s: %s", word,
		reason); err != nil {
		return err
	}
	return s.without(tx, m, kind, id)
}

// without brings a module up to date after a record of it was taken back: what it derived, where it stands, what holds
// it.
//
// In one piece: what follows from each kind of record, one after the other.
//
// A quarantine that a look made is lifted only by the next look, which must be taken.
func (s *Room) without(tx *gorm.DB, m store.Module, kind string, id int64) error {
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return err
	}
	res, err := NewestTest(tx, m.ID)
	if err != nil {
		return err
	}
	set := map[string]any{"capacity_ah": res.CapacityAh, "resistance_mohm": res.ResistanceMOhm}
	last, _, ok, err := LastSurvey(tx, m.ID)
	if err != nil {
		return err
	}
	set["verdict"] = ""
	if ok {
		set["verdict"] = last.Verdict
	}
	if kind == StrikeHand || kind == StrikeTrace {
		set["class"], set["fitness"] = "", "" // it was graded by it, if by anything
	}
	if kind == StrikeLook {
		row, err := kernel.ByID[store.Inspection](tx, id, "look")
		if err != nil {
			return err
		}
		if m.Quarantined && !m.FloodOrRecall && (row.Outcome == look.Quarantine || row.Outcome == look.Scrap) {
			set["quarantined"], set["quarantine_why"] = false, ""
		}
	}
	if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(set).Error; err != nil {
		return err
	}
	if m, err = kernel.ByID[store.Module](tx, m.ID, "module"); err != nil {
		return err
	}
	if m.BankID == nil && !m.Quarantined || kind == StrikeLook && m.Station == station.Out {
		at, err := s.StationOf(tx, m, t)
		if err != nil {
			return err
		}
		if m.Fitness == "" || at != station.Grade {
			if err := s.MoveTo(tx, &m, at); err != nil {
				return err
			}
		}
	}
	return s.Rehold(tx, m.ID)
}

// neverMeasured lists the tables of which a module that may be taken off the record has no row.
var neverMeasured = []string{"inspections", "surveys", "probe_sets", "traces", "hand_results", "module_checks",
	"isolation_checks", "teardown_records", "pictures", "gradings", "adapter_checks"}

// DeleteModule takes a module off the record on which nothing was ever measured or seen.
func (s *Room) DeleteModule(ctx context.Context, number, by, token string) (lotID int64, err error) {
	err = s.Action(ctx, token, "delete", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, number)
		if err != nil {
			return err
		}
		lotID = m.LotID
		if m.BankID != nil {
			return kernel.Bad("", "%s stands in a bank: take the design back first", m.Number)
		}
		for _, t := range neverMeasured {
			var n int64
			if err := tx.Table(t).Where("module_id = ?", m.ID).Count(&n).Error; err != nil {
				return err
			}
			if n > 0 {
				return kernel.Bad("", "%s has something on record: it is struck out there, and never deleted", m.Number)
			}
		}
		if err := tx.Model(&store.Event{}).Where("module_id = ?", m.ID).Update("module_id", nil).Error; err != nil {
			return err
		}
		if err := tx.Delete(&store.Module{}, m.ID).Error; err != nil {
			return err
		}
		return s.Log(tx, kernel.Initials(by), "deleted", kernel.About{Lot: m.LotID},
			"%s taken off the record: nothing was "+
				"ever measured on it", m.Number)
	})
	return lotID, err
}

// DeleteLot takes a lot off the record that never had a module or a pack.
func (s *Room) DeleteLot(ctx context.Context, id int64, by, token string) error {
	return s.Action(ctx, token, "delete", func(tx *gorm.DB) error {
		lot, err := kernel.ByID[store.Lot](tx, id, "lot")
		if err != nil {
			return err
		}
		var n int64
		if err := tx.Raw("SELECT (SELECT count(*) FROM modules WHERE lot_id = ?) + (SELECT count(*) FROM packs WHERE "+
			"lot_id = ?)", id, id).Scan(&n).Error; err != nil {
			return err
		}
		if n > 0 {
			return kernel.Bad("", "the lot from %s holds modules or a pack: it stays", lot.Supplier)
		}
		if err := tx.Model(&store.Event{}).Where("lot_id = ?", id).Update("lot_id", nil).Error; err != nil {
			return err
		}
		if err := tx.Delete(&store.Lot{}, id).Error; err != nil {
			return err
		}
		return s.Log(tx, kernel.Initials(by), "deleted", kernel.About{}, "Lot from %s taken off the record: it was "+
			"empty",
			lot.Supplier)
	})
}

// MayUndo reports whether what a form saved can still be taken back without a reason.
func (s *Room) MayUndo(ctx context.Context, saved string) bool {
	for _, t := range tables {
		var n int64
		err := s.Store.DB.WithContext(ctx).Raw("SELECT count(*) FROM "+t.table+" r WHERE "+ofForm+" AND "+t.at+" >= ? "+
			"AND "+
			"NOT EXISTS (SELECT 1 FROM strikes x WHERE x.kind = ? AND x.row_id = r.id)", saved, saved+"-", saved+".",
			s.Now().Add(-UndoSeconds*time.Second), t.kind).Scan(&n).Error
		if err == nil && n > 0 {
			return true
		}
	}
	return false
}
