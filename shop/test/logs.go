package test

import (
	"context"
	"fmt"
	"io"
	"reflect"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/module/passage"
	"pandrel/core/test/kind"
	"pandrel/core/test/logfile"
	"pandrel/core/test/logview"
	"pandrel/core/test/parts"
	"pandrel/core/test/trace"
	"pandrel/exchange"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// MaxLogBytes is the largest log that is taken.
const MaxLogBytes = 64 << 20

// LogInput is a log to keep and judge. FloorVolts 0 takes the chemistry's. FromGroup and ToGroup say which part of
// the module was on the clamps, 0 for all of it. Replaces is the reading of the same file that this one takes the place
// of.
type LogInput struct {
	Number      string
	FileName    string
	Data        []byte
	FlipCurrent bool
	FloorVolts  float64
	ReadAs      logfile.ReadAs
	FromGroup   int
	ToGroup     int
	Replaces    int64
	Of          int64 // the test under way that it is of, 0 for none
	KeepHeld    bool  // keep the file although its figures cannot be right, without a result
	Token       string
}

// onClamps is what a log is of: a module of a type, or a part of it.
type onClamps struct {
	store.Module
	typ    store.ModuleType
	series int // of the whole module
	from   int // 0 for all of it
	to     int
}

// groups is how many groups in series were on the clamps.
func (o onClamps) groups() int {
	if o.from == 0 {
		return o.series
	}
	return o.to - o.from + 1
}

// clamped finds what a log is of. A part must be one that the module has; all of its groups are the whole.
func (s *Room) clamped(ctx context.Context, in *LogInput) (o onClamps, err error) {
	if o.Module, err = s.Module(ctx, in.Number); err != nil {
		return o, err
	}
	if o.typ, err = s.Type(ctx, o.TypeID); err != nil {
		return o, err
	}
	lay, ok, err := s.Record.LayoutFor(ctx, o.Module, o.typ)
	if err != nil {
		return o, err
	}
	if !ok {
		return o, kernel.Bad("file", "%s has no layout yet: map one module of this type first, so that the voltage of "+
			"a group is known", o.typ.Name)
	}
	o.series = lay.Series
	if in.FromGroup != 0 && in.ToGroup == 0 {
		in.ToGroup = in.FromGroup // one group alone
	}
	switch {
	case in.FromGroup == 0 && in.ToGroup == 0:
	case in.FromGroup < 1 || in.ToGroup < in.FromGroup || in.ToGroup > o.series:
		return o, kernel.Bad("from_group", "groups %d to %d: expected a part of the %s of %s", in.FromGroup,
			in.ToGroup, numeral.Count(o.series, "group"), o.Number)
	case in.FromGroup == 1 && in.ToGroup == o.series:
		in.FromGroup, in.ToGroup = 0, 0
	}
	o.from, o.to = in.FromGroup, in.ToGroup
	return o, nil
}

// fits asks which part of a module a log is of whose columns of groups do not match it.
func (o onClamps) fits(name string, columns logfile.Columns) error {
	n := len(columns.Groups)
	switch {
	case n == 0 || n == o.groups():
		return nil
	case n > o.series:
		return kernel.Bad("file", "%s has voltages of %s: %s has %d", name, numeral.Count(n, "group"), o.Number,
			o.series)
	case o.from == 0:
		return kernel.Bad("from_group", "%s has voltages of %s and %s has %d. Say which part of it was on the "+
			"clamps: its first group and its last", name, numeral.Count(n, "group"), o.Number, o.series)
	}
	return kernel.Bad("from_group", "%s has voltages of %s, and %s are %d", name, numeral.Count(n, "group"),
		parts.Name(o.from, o.to), o.groups())
}

// Tried is a log that was read to be looked at, and is not kept yet.
type Tried struct {
	Result trace.Result
	Thin   logview.Thin
	Table  logfile.Table
	Series int   // groups on the clamps
	Asks   error // what must be said before it can be kept
}

// TryLog reads and judges a log without keeping anything, to be looked at first.
func (s *Room) TryLog(ctx context.Context, in LogInput) (v Tried, err error) {
	o, err := s.clamped(ctx, &in)
	if err != nil {
		return v, err
	}
	v.Series = o.groups()
	v.Result, v.Thin, v.Table, err = analyse(ctx, o, in)
	if ctx.Err() != nil {
		return v, ctx.Err()
	}
	if err != nil {
		return v, kernel.Bad("file", "%s: %v", in.FileName, err)
	}
	v.Asks = o.fits(in.FileName, v.Result.Columns)
	return v, nil
}

// analyse reads and judges a log. Between its parts it looks whether anybody still waits.
func analyse(ctx context.Context, o onClamps, in LogInput) (trace.Result, logview.Thin, logfile.Table, error) {
	log, r, err := readLog(ctx, o, in)
	if err != nil {
		return trace.Result{}, logview.Thin{}, logfile.Table{}, err
	}
	thin := logview.Thinned(log, 700)
	thin.Segments, thin.Gaps, thin.Numbers = r.Segments, r.Gaps, r.GroupNumbers
	thin.FloorV, thin.First = in.FloorVolts, o.from
	if c, err := chem.Lookup(o.typ.Chemistry); err == nil && in.FloorVolts == 0 {
		thin.FloorV = c.FloorVolts
	}
	return r, thin, log.Table, nil
}

// readLog reads a log, text or sheet, and judges it for what was on the clamps.
func readLog(ctx context.Context, o onClamps, in LogInput) (*logfile.Log, trace.Result, error) {
	log, err := exchange.ReadLog(ctx, in.Data, logfile.ParseOptions{Columns: in.ReadAs.Columns,
		DateOrder: in.ReadAs.DateOrder})
	if err != nil {
		return nil, trace.Result{}, err
	}
	if err := ctx.Err(); err != nil {
		return nil, trace.Result{}, err
	}
	own, err := record.CurveOf(o.typ)
	if err != nil {
		return nil, trace.Result{}, err
	}
	opt := trace.Options{Series: o.groups(), Chemistry: o.typ.Chemistry, Curve: own,
		RatedAh: record.RatedAh(o.Module, o.typ), FloorVolts: in.FloorVolts, FlipCurrent: in.FlipCurrent,
		FullVolts: o.typ.FullVolts, EndedAtVolts: in.ReadAs.EndedAtVolts, CutFromS: in.ReadAs.CutFromS,
		CutToS: in.ReadAs.CutToS, EndedByGroup: in.ReadAs.EndedByGroup, DeadBandAmps: in.ReadAs.DeadBandAmps,
		Checked: in.ReadAs.Checked, FirstGroup: o.from}
	if o.from > 0 && opt.EndedByGroup > 0 { // said as a group of the module
		opt.EndedByGroup -= o.from - 1
	}
	r, err := trace.Analyse(log, opt)
	return log, r, err
}

// RecordLog keeps the original file under its hash and judges it.
func (s *Room) RecordLog(ctx context.Context, in LogInput) (id int64, r trace.Result, err error) {
	if err := kernel.Fits(in.Data, MaxLogBytes); err != nil {
		return 0, r, err
	}
	o, err := s.clamped(ctx, &in)
	if err != nil {
		return 0, r, err
	}
	m := o.Module
	if in.Replaces == 0 { // reading a kept log again tests nothing anew
		if err := s.Record.May(s.Store.DB.WithContext(ctx), m, o.typ, passage.Test); err != nil {
			return 0, r, err
		}
	}
	// Parsing and compressing take long: both are done before the transaction.
	r, thin, _, err := analyse(ctx, o, in)
	if ctx.Err() != nil {
		return 0, r, ctx.Err()
	}
	if err != nil {
		return 0, r, kernel.Bad("file", "%s: %v", in.FileName, err)
	}
	if r.Held != nil && !in.KeepHeld {
		return 0, r, kernel.Bad("file", "held: %s %s", r.Held.Text, r.Held.Try)
	}
	if err := o.fits(in.FileName, r.Columns); err != nil {
		return 0, r, err
	}
	if in.Replaces > 0 && r.Capacity == nil && r.Held == nil {
		return 0, r, kernel.Bad("to", "read so, no discharge is in it: nothing would count instead of the reading "+
			"that is kept")
	}
	file, err := kernel.Compressed(in.Data)
	if err != nil {
		return 0, r, err
	}
	err = s.Action(ctx, in.Token, "log", func(tx *gorm.DB) error {
		id, err = s.keepLog(tx, m, in, file, r, thin)
		return err
	})
	return id, r, err
}

// keepLog writes a log down with what the rules make of it, and moves the module on or away.
func (s *Room) keepLog(tx *gorm.DB, m store.Module, in LogInput, file store.Blob, r trace.Result,
	thin logview.Thin) (id int64, err error) {
	as := kind.AsLog{FlipCurrent: in.FlipCurrent, FloorVolts: in.FloorVolts, ReadAs: in.ReadAs}
	if twin, err := twinOf(tx, m, in, file.Sha256, as); err != nil {
		return 0, err
	} else if twin != "" {
		return 0, kernel.Bad("file", "this very file is on record for %s already, as %s", m.Number, twin)
	}
	if err := tx.Clauses(clause.OnConflict{DoNothing: true}).Create(&file).Error; err != nil {
		return 0, err
	}
	row := store.OfModule(kind.Log, m.ID)
	row.FileName, row.Sha256, row.FromGroup, row.ToGroup, row.Replaces = in.FileName, file.Sha256, in.FromGroup,
		in.ToGroup, in.Replaces
	row.By, row.At, row.Token = kernel.Acts(tx), s.Now(), in.Token
	if row.Given, err = store.Raw(as); err != nil {
		return 0, err
	}
	if row = row.Had(); in.Of == 0 {
		err = tx.Create(&row).Error
	} else {
		row.ID = in.Of
		err = move(tx, in.Of, map[string]any{"file_name": row.FileName, "sha256": row.Sha256, "gave_at": row.GaveAt,
			"gave_token": row.GaveToken})
	}
	if err != nil {
		return 0, err
	}
	if err := record.Gives(tx, row.ID, r, thin); err != nil {
		return 0, err
	}
	return row.ID, s.afterLog(tx, m, row, r)
}

// twinOf is the name under which the very file, read the same way, is on record of a module, "" for none. Read again
// with other settings too, but not struck too: the file itself is on record.
func twinOf(tx *gorm.DB, m store.Module, in LogInput, sha string, as kind.AsLog) (string, error) {
	given, err := store.Raw(as)
	if err != nil {
		return "", err
	}
	if as, err = store.Read[kind.AsLog](given); err != nil { // as a kept one is read
		return "", err
	}
	var rows []store.Test // not struck too
	if err := tx.Where("module_id = ? AND sha256 = ? AND from_group = ? AND to_group = ? AND NOT EXISTS "+
		"(SELECT 1 FROM "+
		"strikes x WHERE x.kind = 'test' AND x.row_id = tests.id)", m.ID, sha, in.FromGroup,
		in.ToGroup).Find(&rows).Error; err != nil {
		return "", err
	}
	for _, r := range rows {
		if was, err := store.Read[kind.AsLog](r.Given); err != nil {
			return "", err
		} else if reflect.DeepEqual(was, as) {
			return r.FileName, nil
		}
	}
	return "", nil
}

// afterLog says in the module's life what a log held, and settles where it stands now.
func (s *Room) afterLog(tx *gorm.DB, m store.Module, row store.Test, r trace.Result) error {
	text := "no capacity in it"
	if r.Capacity != nil {
		text = fmt.Sprintf("%.1f Ah, complete: %s", r.Capacity.Ah, kernel.Yes(r.Capacity.Complete))
		if r.Capacity.Gapped() {
			text = r.Capacity.Text() + ", with gaps"
		}
	}
	if part := row.PartName(); part != "" {
		text = part + " alone: " + text
	}
	word := "kept"
	if row.Replaces > 0 {
		word = "read again with other settings"
	}
	if err := s.Log(tx, "test", kernel.About{Module: m.ID}, "Log %s %s: %s", row.FileName, word, text); err != nil {
		return err
	}
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return err
	}
	return s.afterTest(tx, m, t)
}

// OriginalFile returns the log of a test as it was, to be read piece by piece.
func (s *Room) OriginalFile(ctx context.Context, id int64) (store.Test, io.Reader, error) {
	db := s.Store.DB.WithContext(ctx)
	t, err := logOf(db, id)
	if err != nil {
		return t, nil, err
	}
	file, err := kernel.OpenBlob(db, t.Sha256)
	return t, file, err
}

// logOf is a test behind which a log lies.
func logOf(db *gorm.DB, id int64) (store.Test, error) {
	t, err := kernel.ByID[store.Test](db, id, "log")
	if err == nil && t.Sha256 == "" {
		err = &kernel.NotFound{What: "log"}
	}
	return t, err
}
