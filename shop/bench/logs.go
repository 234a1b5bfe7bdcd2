package bench

import (
	"context"
	"fmt"
	"io"

	"pandrel/core/module/logfile"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"pandrel/core/base/chem"
	"pandrel/core/module/passage"
	"pandrel/core/module/trace"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// TraceInput is a log to keep and judge. FloorVolts 0 takes the chemistry's floor.
type TraceInput struct {
	Number      string
	FileName    string
	Data        []byte
	FlipCurrent bool
	FloorVolts  float64
	ReadAs      logfile.ReadAs
	KeepHeld    bool // keep the file although its figures cannot be right, without a result
	By          string
	Token       string
}

// TryTrace reads and judges a log without keeping anything, to be looked at first.
func (s *Room) TryTrace(ctx context.Context, in TraceInput) (r trace.Result, thin trace.Thin, table logfile.Table,
	err error) {
	m, err := s.Module(ctx, in.Number)
	if err != nil {
		return r, thin, table, err
	}
	t, err := s.Type(ctx, m.TypeID)
	if err != nil {
		return r, thin, table, err
	}
	lay, ok, err := s.Record.LayoutFor(ctx, m, t)
	if err != nil {
		return r, thin, table, err
	}
	if !ok {
		return r, thin, table, kernel.Bad("file", "%s has no layout yet: map one module of this type first, so "+
			"that the voltage of a group is known", t.Name)
	}
	r, thin, table, err = analyse(ctx, t, lay.Series, in)
	if ctx.Err() != nil {
		return r, thin, table, ctx.Err()
	}
	if err != nil {
		return r, thin, table, kernel.Bad("file", "%s: %v", in.FileName, err)
	}
	return r, thin, table, nil
}

// analyse reads and judges a log for a module type. Between its parts it looks whether anybody still waits.
func analyse(ctx context.Context, t store.ModuleType, series int, in TraceInput) (trace.Result, trace.Thin,
	logfile.Table, error) {
	log, err := logfile.ParseWith(in.Data, logfile.ParseOptions{Columns: in.ReadAs.Columns,
		DateOrder: in.ReadAs.DateOrder})
	if err != nil {
		return trace.Result{}, trace.Thin{}, logfile.Table{}, err
	}
	if err := ctx.Err(); err != nil {
		return trace.Result{}, trace.Thin{}, logfile.Table{}, err
	}
	own, err := record.CurveOf(t)
	if err != nil {
		return trace.Result{}, trace.Thin{}, logfile.Table{}, err
	}
	opt := trace.Options{Series: series, Chemistry: t.Chemistry, Curve: own, RatedAh: t.RatedAh,
		FloorVolts: in.FloorVolts, FlipCurrent: in.FlipCurrent, FullVolts: t.FullVolts,
		EndedByGroup: in.ReadAs.EndedByGroup, EndedAtVolts: in.ReadAs.EndedAtVolts}
	r, err := trace.Analyse(log, opt)
	if err != nil {
		return trace.Result{}, trace.Thin{}, logfile.Table{}, err
	}
	thin := trace.Thinned(log, 700)
	thin.Segments, thin.Gaps = r.Segments, r.Gaps
	thin.FloorV = in.FloorVolts
	if c, err := chem.Lookup(opt.Chemistry); err == nil && in.FloorVolts == 0 {
		thin.FloorV = c.FloorVolts
	}
	return r, thin, log.Table, nil
}

// RecordTrace keeps the original file under its hash and judges it.
func (s *Room) RecordTrace(ctx context.Context, in TraceInput) (id int64, r trace.Result, err error) {
	if len(in.Data) > record.MaxTraceBytes {
		return 0, r, kernel.Bad("file", "the file has %.0f MiB: expected at most %d MiB",
			float64(len(in.Data))/(1<<20), record.MaxTraceBytes>>20)
	}
	m, err := s.Module(ctx, in.Number)
	if err != nil {
		return 0, r, err
	}
	t, err := s.Type(ctx, m.TypeID)
	if err != nil {
		return 0, r, err
	}
	if err := s.Record.May(s.Store.DB.WithContext(ctx), m, t, passage.Test); err != nil {
		return 0, r, err
	}
	lay, ok, err := s.Record.LayoutFor(ctx, m, t)
	if err != nil {
		return 0, r, err
	}
	if !ok {
		return 0, r, kernel.Bad("file", "%s has no layout yet: map one module of this type first, so that the "+
			"voltage of a group is known", t.Name)
	}
	// Parsing and compressing take long: both are done before the transaction.
	r, thin, _, err := analyse(ctx, t, lay.Series, in)
	if ctx.Err() != nil {
		return 0, r, ctx.Err()
	}
	if err != nil {
		return 0, r, kernel.Bad("file", "%s: %v", in.FileName, err)
	}
	if r.Held != nil && !in.KeepHeld {
		return 0, r, kernel.Bad("file", "held: %s %s", r.Held.Text, r.Held.Try)
	}
	if n := len(r.Columns.Groups); n > 0 && n != lay.Series {
		return 0, r, kernel.Bad("file", "%s has voltages of %d groups: %s has %d", in.FileName, n, t.Name, lay.Series)
	}
	file, err := record.Compressed(in.Data)
	if err != nil {
		return 0, r, err
	}
	err = s.Action(ctx, in.Token, "trace", func(tx *gorm.DB) error {
		id, err = s.keepLog(tx, m, in, file, r, thin)
		return err
	})
	return id, r, err
}

// keepLog writes a log down with what the rules make of it, and moves the module on or away.
func (s *Room) keepLog(tx *gorm.DB, m store.Module, in TraceInput, file store.Blob, r trace.Result,
	thin trace.Thin) (id int64, err error) {
	readAs := store.JSONOf(in.ReadAs)
	if twin, ok, err := kernel.Find[store.Trace](tx.Where("module_id = ? AND sha256 = ? AND flip_current = ? "+
		"AND floor_volts = ? AND read_as = ?", m.ID, file.Sha256, in.FlipCurrent, in.FloorVolts,
		readAs)); err != nil {
		return 0, err
	} else if ok {
		return 0, kernel.Bad("file", "this very file is on record for %s already, as %s", m.Number, twin.FileName)
	}
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&file).Error; err != nil {
		return 0, err
	}
	row := store.Trace{ModuleID: m.ID, FileName: in.FileName, Sha256: file.Sha256,
		TakenBy: kernel.Initials(in.By), UploadedAt: s.Now(), FlipCurrent: in.FlipCurrent,
		FloorVolts: in.FloorVolts, ReadAs: readAs, Token: in.Token}
	if err := tx.Create(&row).Error; err != nil {
		return 0, err
	}
	if err := tx.Create(&store.TraceResult{TraceID: row.ID, RulesVersion: kernel.RulesVersion,
		Result: store.JSONOf(r), Thin: store.JSONOf(thin)}).Error; err != nil {
		return 0, err
	}
	return row.ID, s.afterLog(tx, m, row, r)
}

// afterLog says in the module's life what a log held, and settles where it stands now.
func (s *Room) afterLog(tx *gorm.DB, m store.Module, row store.Trace, r trace.Result) error {
	text := "no capacity in it"
	if r.Capacity != nil {
		text = fmt.Sprintf("%.1f Ah, complete: %s", r.Capacity.Ah, record.Yes(r.Capacity.Complete))
	}
	if err := s.Log(tx, row.TakenBy, "test", kernel.About{Module: m.ID}, "Log %s kept: %s", row.FileName,
		text); err != nil {
		return err
	}
	if f := r.DrivenBelow(); f != nil {
		return s.neverRecharge(tx, m, row.TakenBy, f.Text)
	}
	if err := s.afterTest(tx, m); err != nil {
		return err
	}
	return s.Record.Rehold(tx, m.ID)
}

// OriginalFile returns an uploaded log as it was, to be read piece by piece.
func (s *Room) OriginalFile(ctx context.Context, traceID int64) (store.Trace, io.Reader, error) {
	db := s.Store.DB.WithContext(ctx)
	t, err := kernel.ByID[store.Trace](db, traceID, "log")
	if err != nil {
		return t, nil, err
	}
	file, err := record.OpenBlob(db, t.Sha256)
	return t, file, err
}
