// Package undo takes back what was typed by mistake: a row with its reason, or the last form within a minute. What was
// taken back stays on record; what rested on it is worked out anew.
package undo

import (
	"context"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/look"
	"pandrel/core/procedure/gates"
	"pandrel/core/test/kind"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// UndoSeconds is how long the last thing that was saved may be taken back without a reason.
const UndoSeconds = 60

// table is where a kind of record is kept: its rows bear the token of the form that made them.
type table struct {
	kind, table, at, word string
	alone                 bool // of a procedure or a bank, not of a module
}

// tokens is the column of that token: of a test, of the form that gave its result.
func (t table) tokens() string {
	if t.kind == record.StrikeTest {
		return "gave_token"
	}
	return "token"
}

// called is what a row of it is called.
func (t table) called(db *gorm.DB, id int64) (string, error) {
	if t.kind != record.StrikeTest {
		return t.word, nil
	}
	row, err := kernel.ByID[store.Test](db, id, t.word) // struck too
	if err != nil {
		return "", err
	}
	k, _ := kind.Of(row.Source)
	return k.Word, nil
}

var tables = []table{
	{record.StrikeLook, "inspections", "seen_at", "look", false}, {record.StrikeSurvey, "surveys", "taken_at",
		"survey", false},
	{record.StrikeTest, "tests", "gave_at", "test", false}, {record.StrikeProbes, "probe_sets", "taken_at",
		"map readings", false},
	{record.StrikeCheck, "module_checks", "taken_at", "quick check", false},
	{record.StrikeIsolation, "isolation_checks", "taken_at", "reading against the case", false},
	{record.StrikeRead, "module_reads", "taken_at", "reading in part", false},
	{record.StrikeOpening, "teardown_records", "done_at", "step of its opening", false},
	{record.StrikeStep, "step_records", "done_at", "step", true},
	{record.StrikeSense, "sense_checks", "taken_at", "check of the sense leads", true},
	{record.StrikeBankSurvey, "bank_surveys", "taken_at", "survey of a bank", true},
}

// Undoer takes back what a form saved that no row of a table above stands for.
type Undoer interface {
	// MayUndo says what a form saved since then, "" for nothing of this kind.
	MayUndo(db *gorm.DB, saved string, since time.Time) (what string, err error)
	Undo(tx *gorm.DB, saved string, since time.Time) error
}

// ofForm picks the rows that one form made: its token, or its token with a number for each of several. The range stands
// for LIKE, which would read every row.
func (t table) ofForm() string {
	text := fmt.Sprintf("(r.%[1]s = ? OR r.%[1]s >= ? AND r.%[1]s < ?) AND %[2]s >= ?", t.tokens(), t.at)
	if t.kind == record.StrikeTest { // one that goes on is stopped first
		text += " AND (r.state = '' OR r.ended_at IS NOT NULL)"
	}
	return text
}

// StrikeInput takes back what was typed by mistake: one row of a kind, with the reason in writing.
type StrikeInput struct {
	Number string
	Kind   string
	RowID  int64
	Reason string
	Token  string
}

// Strike takes back a record of a module that was typed by mistake: the wrong module, the wrong file. It stays in
// sight, with the reason, and counts no more. What was confirmed below never-recharge stays.
func (s *Room) Strike(ctx context.Context, in StrikeInput) error {
	if text := gates.ReasonText(in.Reason, kernel.Signed(ctx)); text != "" {
		return kernel.Bad("reason", "%s", text)
	}
	return s.Action(ctx, in.Token, "strike", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		for _, t := range tables {
			if t.kind != in.Kind || t.alone {
				continue
			}
			var n int64
			if err := tx.Table(t.table).Where("id = ? AND module_id = ?", in.RowID, m.ID).Count(&n).Error; err != nil {
				return err
			}
			if n == 0 {
				return kernel.Missing("%s %d of %s", t.word, in.RowID, m.Number)
			}
			word, err := t.called(tx, in.RowID)
			if err != nil {
				return err
			}
			in.Reason = strings.TrimSpace(in.Reason)
			return s.strike(tx, m, word, in)
		}
		return kernel.Bad("kind", "expected a look, a survey, a result or a log")
	})
}

// Undo takes back what a form saved within the last minute, by its token. It says what that was.
func (s *Room) Undo(ctx context.Context, saved, token string) (what string, err error) {
	if len(saved) < 8 {
		return "", kernel.Bad("", "there is nothing to undo")
	}
	since := s.Now().Add(-UndoSeconds * time.Second)
	err = s.Action(ctx, token, "undo", func(tx *gorm.DB) error {
		var done []string
		for _, t := range tables {
			whats, err := s.undoRows(tx, t, saved, since, token)
			if err != nil {
				return err
			}
			done = append(done, whats...)
		}
		for _, u := range s.Undoers {
			w, err := u.MayUndo(tx, saved, since)
			if err == nil && w != "" {
				done = append(done, w)
				err = u.Undo(tx, saved, since)
			}
			if err != nil {
				return err
			}
		}
		if len(done) > 0 { // sent once more it is a new form
			if err := tx.Model(&store.Submission{}).Where("token = ?", saved).Update("undone", true).Error; err != nil {
				return err
			}
		}
		switch len(done) {
		case 0:
			return kernel.Bad("", "that was saved more than a minute ago, or cannot be undone: open the module and "+
				"strike it out with a reason")
		case 1:
			what = done[0]
		default:
			what = numeral.Count(len(done), "record")
		}
		return nil
	})
	return what, err
}

// undoRows strikes out the rows of one table that a form made, the newest first, and says what they were.
func (s *Room) undoRows(tx *gorm.DB, t table, saved string, since time.Time, token string) (done []string, err error) {
	module := "coalesce(module_id, 0) AS module_id"
	if t.alone {
		module = "0 AS module_id"
	}
	var rows []struct{ ID, ModuleID int64 }
	if err := tx.Raw("SELECT id, "+module+" FROM "+t.table+" r WHERE "+t.ofForm()+" ORDER BY id DESC",
		saved, saved+"-", saved+".", since).Scan(&rows).Error; err != nil {
		return nil, err
	}
	for i, r := range rows {
		token := fmt.Sprintf("%s-%s-%d", token, t.kind, i)
		word, err := t.called(tx, r.ID)
		if err != nil {
			return nil, err
		}
		if r.ModuleID == 0 {
			if err := s.strikeAlone(tx, t, r.ID, "undone at once", token); err != nil {
				return nil, err
			}
			done = append(done, word)
			continue
		}
		m, err := kernel.ByID[store.Module](tx, r.ModuleID, "module")
		if err != nil {
			return nil, err
		}
		if err := s.strike(tx, m, word, StrikeInput{Kind: t.kind, RowID: r.ID, Reason: "undone at once",
			Token: token}); err != nil {
			return nil, err
		}
		done = append(done, fmt.Sprintf("%s of %s", word, m.Number))
	}
	return done, nil
}

// strike keeps that a row counts no more, and puts its module where it is without it.
func (s *Room) strike(tx *gorm.DB, m store.Module, word string, in StrikeInput) error {
	if in.Kind == record.StrikeSurvey && m.Regroup != "" {
		return kernel.Bad("", "%s is being cut or regrouped by what this survey read: sign its steps to their end, or "+
			"leave the work before its first link is touched", m.Number)
	}
	of, id, reason, token := in.Kind, in.RowID, in.Reason, in.Token
	if m.EverBelowNever {
		return kernel.BlockedBy(kernel.CodeNoWithdrawal, m.Number,
			fmt.Sprintf("%s was confirmed below never-recharge: "+
				"nothing of its record is taken back.", m.Number), "The module stays in quarantine.")
	}
	if of == record.StrikeProbes {
		if err := notALayout(tx, m, id); err != nil {
			return err
		}
	}
	if of == record.StrikeTest {
		if err := notUnderWay(tx, id); err != nil {
			return err
		}
	}
	if of == record.StrikeOpening {
		if err := theLastStep(tx, m, id); err != nil {
			return err
		}
	}
	if err := onlyOnce(tx, of, word, id); err != nil {
		return err
	}
	row := store.Strike{Kind: of, RowID: id, ModuleID: &m.ID, Reason: reason, By: kernel.Acts(tx), At: s.Now(),
		Token: token}
	if err := tx.Create(&row).Error; err != nil {
		return err
	}
	if err := sentAgain(tx, of, id); err != nil {
		return err
	}
	if err := s.Log(tx, "struck", kernel.About{Module: m.ID}, "Taken back as a mistake, %s: %s", word,
		reason); err != nil {
		return err
	}
	return s.without(tx, m, of, id)
}

// sentAgain lets the form that made a row be sent once more; one that made several rows stays saved.
func sentAgain(tx *gorm.DB, of string, id int64) error {
	for _, t := range tables {
		if t.kind == of {
			return tx.Exec("UPDATE submissions SET undone = 1 WHERE token = (SELECT "+t.tokens()+" FROM "+t.table+
				" WHERE id = ?)", id).Error
		}
	}
	return nil
}

// onlyOnce refuses to take a row back a second time.
func onlyOnce(tx *gorm.DB, of, word string, id int64) error {
	var n int64
	err := tx.Model(&store.Strike{}).Where("kind = ? AND row_id = ?", of, id).Count(&n).Error
	if err == nil && n > 0 {
		return kernel.Bad("", "this %s was taken back already", word)
	}
	return err
}

// notUnderWay refuses to take a test back that goes on: current flows.
func notUnderWay(tx *gorm.DB, id int64) error {
	row, err := kernel.ByID[store.Test](tx, id, "test") // struck too: onlyOnce says so
	if err == nil && row.State != "" && row.EndedAt == nil {
		return kernel.Bad("row", "this test goes on: stop it first, at /tests/%d", id)
	}
	return err
}

// theLastStep refuses to take a step of an opening back on which others follow: what lay in the tray then would not
// add up.
func theLastStep(tx *gorm.DB, m store.Module, id int64) error {
	var later int64
	err := record.Counting(tx, "teardown_records").Where("module_id = ? AND id > ?", m.ID, id).Count(&later).Error
	if err == nil && later > 0 {
		return kernel.Bad("row", "%d later steps of the opening of %s follow on this one: take the last one back first",
			later, m.Number)
	}
	return err
}

// notALayout refuses to take readings back that the layout in use was made from: other readings come first.
func notALayout(tx *gorm.DB, m store.Module, setID int64) error {
	var n int64
	err := tx.Raw("SELECT count(*) FROM layouts l WHERE l.set_id = ? AND (EXISTS (SELECT 1 FROM module_types t WHERE "+
		"t.layout_id = l.id) OR EXISTS (SELECT 1 FROM modules m WHERE m.layout_id = l.id))", setID).Scan(&n).Error
	if err == nil && n > 0 {
		return kernel.Bad("row", "the layout in use was made from these readings of %s: accept another map first, "+
			"then take these back", m.Number)
	}
	return err
}

// without brings a module up to date after a record of it was taken back: what it derived, where it stands, what holds
// it.
//
// A quarantine that a look made is lifted only by the next look, which must be taken.
func (s *Room) without(tx *gorm.DB, m store.Module, of string, id int64) error {
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return err
	}
	res, err := record.NewestTest(tx, m, t)
	if err != nil {
		return err
	}
	set := map[string]any{"capacity_ah": res.CapacityAh, "resistance_mohm": res.ResistanceMOhm, "class_was": "",
		"fitness_was": ""}
	last, _, ok, err := record.LastSurvey(tx, m.ID)
	if err != nil {
		return err
	}
	set["verdict"] = ""
	if ok {
		set["verdict"] = last.Verdict
	}
	if of == record.StrikeTest {
		set["class"], set["fitness"] = "", "" // it was graded by it, if by anything
	}
	if of == record.StrikeLook {
		if err := lookGone(tx, m, id, set); err != nil {
			return err
		}
	}
	if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(set).Error; err != nil {
		return err
	}
	if m, err = kernel.ByID[store.Module](tx, m.ID, "module"); err != nil {
		return err
	}
	if err := s.Record.GradeFalls(tx, &m, t); err != nil {
		return err
	}
	if m.BankID == nil && !m.Quarantined || of == record.StrikeLook && m.Station == station.Out {
		at, err := s.Record.StationOf(tx, m, t)
		if err != nil {
			return err
		}
		if m.Fitness == "" || at != station.Grade {
			if err := s.MoveTo(tx, &m, at); err != nil {
				return err
			}
		}
	}
	return nil
}

// lookGone sets what follows for a module of which a look was taken back.
func lookGone(tx *gorm.DB, m store.Module, id int64, set map[string]any) error {
	row, err := kernel.ByID[store.Inspection](tx, id, "look")
	if err != nil {
		return err
	}
	if !m.Quarantined || m.FloodOrRecall || row.Outcome != look.Quarantine && row.Outcome != look.Scrap {
		return nil
	}
	set["quarantined"], set["quarantine_why"] = false, ""
	other, still, err := kernel.Find[store.Inspection](record.Counting(tx, "inspections").Where("module_id = "+
		"? AND outcome IN ?", m.ID, []look.Outcome{look.Quarantine, look.Scrap}).Order("id DESC"))
	if err != nil || !still {
		return err
	}
	found, err := other.Findings.Get() // another look says so too
	if err == nil {
		set["quarantined"], set["quarantine_why"] = true, look.Told(found)
	}
	return err
}

// neverMeasured lists the tables of which a module that may be taken off the record has no row.
var neverMeasured = []string{"inspections", "surveys", "probe_sets", "tests", "module_checks",
	"isolation_checks", "module_reads", "teardown_records", "pictures", "gradings", "lead_checks"}

// DeleteModule takes a module off the record on which nothing was ever measured or seen.
func (s *Room) DeleteModule(ctx context.Context, number, token string) (lotID int64, err error) {
	err = s.Action(ctx, token, "delete", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, number)
		if err != nil {
			return err
		}
		lotID = m.LotID
		if m.BankID != nil {
			return kernel.Bad("", "%s stands in a bank: take the design back first", m.Number)
		}
		if m.ParentID != nil || m.Regroup != "" {
			return kernel.Bad("", "%s came of another module, or is being cut: it stays on record", m.Number)
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
		if err := tx.Where("module_id = ?", m.ID).Delete(&store.BenchPin{}).Error; err != nil {
			return err
		}
		if err := tx.Delete(&store.Module{}, m.ID).Error; err != nil {
			return err
		}
		return s.Log(tx, "deleted", kernel.About{Lot: m.LotID}, "%s taken off the record: "+
			"nothing was ever measured on it", m.Number)
	})
	return lotID, err
}

// DeleteLot takes a lot off the record that never had a module or a pack.
func (s *Room) DeleteLot(ctx context.Context, id int64, token string) error {
	return s.Action(ctx, token, "delete", func(tx *gorm.DB) error {
		lot, err := kernel.ByID[store.Lot](tx, id, "lot")
		if err != nil {
			return err
		}
		var n int64
		if err := tx.Raw("SELECT (SELECT count(*) FROM modules WHERE lot_id = ?) + (SELECT count(*) FROM banks WHERE "+
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
		return s.Log(tx, "deleted", kernel.About{}, "Lot from %s taken off the record: it was empty", lot.Supplier)
	})
}

// MayUndo reports whether what a form saved can still be taken back without a reason.
func (s *Room) MayUndo(ctx context.Context, saved string) bool {
	db, since := s.Store.DB.WithContext(ctx), s.Now().Add(-UndoSeconds*time.Second)
	for _, t := range tables {
		var n int64
		err := db.Raw("SELECT count(*) FROM "+t.table+" r WHERE "+t.ofForm()+" AND NOT EXISTS (SELECT 1 "+
			"FROM strikes x WHERE x.kind = ? AND x.row_id = r.id)", saved, saved+"-", saved+".", since, t.kind).
			Scan(&n).Error
		if err == nil && n > 0 {
			return true
		}
	}
	for _, u := range s.Undoers {
		if what, err := u.MayUndo(db, saved, since); err == nil && what != "" {
			return true
		}
	}
	return false
}
