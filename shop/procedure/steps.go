package procedure

import (
	"context"
	"errors"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"pandrel/core/procedure/commission"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// Kind names a procedure: what its steps are done on.
type Kind string

// The procedures.
const (
	Pack     Kind = "pack"     // a pack that is split
	Standing Kind = "standing" // a standing bank that is opened and brought back
	Bank     Kind = "bank"     // a bank on its way into service
	Module   Kind = "module"   // a module above the limit of touch, before it is worked on
)

// StepInput records one step of work with gates: see gates.Input.
type StepInput struct {
	Step     string
	Reading  *float64
	Other    *float64
	Case     *isolation.Readings
	Confirm  bool
	Name     string
	Override string
	Token    string
}

// done is what was done, signed by whom.
func (in StepInput) done(by string) gates.Input {
	return gates.Input{Reading: in.Reading, Other: in.Other, Case: in.Case, Confirm: in.Confirm, Name: in.Name,
		Override: in.Override, By: by}
}

// Record is a kept step with its findings.
type Record struct {
	store.StepRecord
	Found []finding.Finding
	Title string // of its step, or its key where the work has no such step any more
}

// titled names records by the steps that they are of.
func titled(records []Record, states []gates.State) {
	for i := range records {
		r := &records[i]
		r.Title = r.Step
		if k := slices.IndexFunc(states, func(st gates.State) bool { return st.Key == r.Step }); k >= 0 {
			r.Title = states[k].Title
		}
	}
}

// work is a procedure as it stands at one moment.
type work struct {
	kind    Kind
	id      int64
	version int // of what it is done on: records of another do not count
	name    string
	event   string
	about   kernel.About
	named   bool // every step is recorded with initials
	records []Record
	struck  []store.Strike // what was taken back of it
	states  []gates.State
	near    gates.Near
	may     func(tx *gorm.DB, step string) error // what else must stand for a step, nil for nothing
	// told says more of a reading that did not pass, nil for nothing.
	told func(step string, value float64) []finding.Finding
}

// recall reads what was recorded, in order; the steps may follow from it.
func (w *work) recall(db *gorm.DB, steps func(records []Record) []gates.Step) error {
	var rows []store.StepRecord
	q := record.Counting(db, "step_records").Where("kind = ? AND subject_id = ? AND version = ?",
		w.kind, w.id, w.version)
	if err := q.Order("id").Find(&rows).Error; err != nil {
		return err
	}
	var done []gates.Record
	for _, r := range rows {
		done = append(done, gates.Record{Key: r.Step, OK: r.OK, Override: r.Override, Reading: r.Reading})
		fs, err := r.Findings.Get()
		if err != nil {
			return err
		}
		w.records = append(w.records, Record{StepRecord: r, Found: fs})
	}
	w.states = gates.States(steps(w.records), done)
	titled(w.records, w.states)
	var err error
	w.struck, err = record.StruckAlone(db, string(w.kind), w.id)
	return err
}

// RecordStep keeps a step of a procedure. It is blocked while an earlier gate is open.
func (s *Room) RecordStep(ctx context.Context, kind Kind, id int64, in StepInput) (fs []finding.Finding, err error) {
	load, err := s.loader(ctx, kind, id)
	if err != nil {
		return nil, err
	}
	err = s.Action(ctx, in.Token, string(kind)+"-step", func(tx *gorm.DB) error {
		fs, err = s.record(tx, kind, id, in, load)
		return err
	})
	return fs, err
}

// RecordSteps keeps several steps at once, in their order, each judged as if it were recorded alone. The first that may
// not be recorded leaves nothing recorded, and is named; a reading that does not pass is kept as it is and ends it.
func (s *Room) RecordSteps(ctx context.Context, kind Kind, id int64, in []StepInput, token string) (bad string,
	err error) {
	load, err := s.loader(ctx, kind, id)
	if err != nil {
		return "", err
	}
	err = s.Action(ctx, token, string(kind)+"-steps", func(tx *gorm.DB) error {
		for _, x := range in {
			fs, err := s.record(tx, kind, id, x, load)
			if err != nil {
				bad = x.Step
				return err
			}
			if finding.Worst(fs) >= finding.Stop {
				return nil
			}
		}
		return nil
	})
	return bad, err
}

// record is one step inside a transaction.
func (s *Room) record(tx *gorm.DB, kind Kind, id int64, in StepInput, load loads) (
	fs []finding.Finding, err error) {
	w, err := load(tx, in.Step)
	if err != nil {
		return nil, err
	}
	if w.may != nil {
		if err := w.may(tx, in.Step); err != nil {
			return nil, err
		}
	}
	d, err := gates.Take(w.states, in.Step, in.done(kernel.Signed(tx.Statement.Context)), w.near)
	if err != nil {
		return nil, asShop(err)
	}
	if w.named && strings.Trim(kernel.Acts(tx), "–- ") == "" {
		return nil, kernel.Bad("by", "expected initials: this is recorded with them")
	}
	if !d.OK && d.Reading != "" && w.told != nil {
		d.Found = append(d.Found, w.told(in.Step, d.Value)...)
	}
	fs = d.Found
	row := store.StepRecord{Kind: string(kind), SubjectID: id, Version: w.version, Step: in.Step,
		DoneBy: kernel.Acts(tx), DoneAt: s.Now(), OK: d.OK, Value: d.Value, Reading: d.Reading,
		Findings: store.JSONOf(d.Found), Override: d.Override, Token: in.Token}
	if err := tx.Create(&row).Error; err != nil {
		return nil, err
	}
	if d.OK && kind == Bank && in.Step == commission.WholeTest { // what it gave is the bank's figure from here on
		if err := keepWhole(tx, s, id, d.Value, row); err != nil {
			return nil, err
		}
	}
	text := d.Text()
	if d.Reading != "" && w.named {
		text += ", " + d.Reading
	}
	return fs, s.Log(tx, w.event, w.about, "%s%s: %s", w.name, d.Title, text)
}

// loads loads a procedure for a step of it.
type loads func(tx *gorm.DB, step string) (*work, error)

// loader returns what loads a procedure inside a transaction. What takes long is done before it.
func (s *Room) loader(ctx context.Context, kind Kind, id int64) (loads, error) {
	switch kind {
	case Pack:
		return func(tx *gorm.DB, _ string) (*work, error) {
			v, err := packByID(tx, id)
			return v.work, err
		}, nil
	case Standing:
		return func(tx *gorm.DB, step string) (*work, error) {
			v, err := LoadStanding(tx, id)
			if err == nil && v.Back() && v.done(step) { // it is taken out of work once more
				v, err = loadRound(tx, id, v.Round+1)
			}
			return v.work, err
		}, nil
	case Module:
		return func(tx *gorm.DB, _ string) (*work, error) {
			v, err := s.modulePeople(tx, id)
			return v.work, err
		}, nil
	case Build:
		b, n, d, w, err := s.wired(ctx, id)
		return func(tx *gorm.DB, _ string) (*work, error) {
			v, err := s.assembly(tx, b, n, d, w)
			return v.work, err
		}, err
	case Bank:
		b, n, d, w, err := s.wired(ctx, id)
		return func(tx *gorm.DB, _ string) (*work, error) {
			c, err := s.commission(tx, b, n, d, w)
			return c.work, err
		}, err
	}
	return nil, kernel.Missing("procedure %q", kind)
}

// asShop turns what the core says of an input into what a form shows.
func asShop(err error) error {
	var field *gates.FieldError
	var open *gates.OpenError
	switch {
	case errors.As(err, &field):
		return kernel.Bad(field.Field, "%s", field.Text)
	case errors.As(err, &open):
		return kernel.Stopped([]finding.Finding{open.Finding})
	}
	return err
}
