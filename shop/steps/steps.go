// Package steps is work in steps with gates as it is kept: what was recorded of each step, by whom, and what counts of
// it. What the steps are and what they ask is core; what they are done on is whoever calls.
package steps

import (
	"context"
	"errors"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// Kind names a procedure: what its steps are done on.
type Kind string

// Input records one step of work with gates: see gates.Input.
type Input struct {
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
func (in Input) done(by string) gates.Input {
	return gates.Input{Reading: in.Reading, Other: in.Other, Case: in.Case, Confirm: in.Confirm, Name: in.Name,
		Override: in.Override, By: by}
}

// Record is a kept step with its findings.
type Record struct {
	store.StepRecord
	Found []finding.Finding
	Title string // of its step, or its key where the work has no such step any more
}

// Titled names records by the steps that they are of.
func Titled(records []Record, states []gates.State) {
	for i := range records {
		r := &records[i]
		r.Title = r.Step
		if k := slices.IndexFunc(states, func(st gates.State) bool { return st.Key == r.Step }); k >= 0 {
			r.Title = states[k].Title
		}
	}
}

// Work is a procedure as it stands at one moment.
type Work struct {
	Kind    Kind
	ID      int64
	Version int // of what it is done on: records of another do not count
	Name    string
	Event   string
	About   kernel.About
	Named   bool // every step is recorded with initials
	Records []Record
	Struck  []store.Strike // what was taken back of it
	States  []gates.State
	Near    gates.Near
	May     func(tx *gorm.DB, step string) error // what else must stand for a step, nil for nothing
	// Told says more of a reading that did not pass, nil for nothing.
	Told func(step string, value float64) []finding.Finding
	// After is what follows from a step that is kept, nil for nothing.
	After func(tx *gorm.DB, d gates.Done, row store.StepRecord) error
}

// Recall reads what was recorded, in order; the steps may follow from it.
func (w *Work) Recall(db *gorm.DB, steps func(records []Record) []gates.Step) error {
	var rows []store.StepRecord
	q := record.Counting(db, "step_records").Where("kind = ? AND subject_id = ? AND version = ?",
		w.Kind, w.ID, w.Version)
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
		w.Records = append(w.Records, Record{StepRecord: r, Found: fs})
	}
	w.States = gates.States(steps(w.Records), done)
	Titled(w.Records, w.States)
	var err error
	w.Struck, err = record.StruckAlone(db, string(w.Kind), w.ID)
	return err
}

// Loads loads a procedure for a step of it, inside a transaction. What takes long is done before.
type Loads func(tx *gorm.DB, step string) (*Work, error)

// Sign keeps a step of a procedure. It is blocked while an earlier gate is open.
func Sign(ctx context.Context, k *kernel.Kernel, kind Kind, load Loads, in Input) (fs []finding.Finding, err error) {
	err = k.Action(ctx, in.Token, string(kind)+"-step", func(tx *gorm.DB) error {
		fs, err = sign(tx, k, load, in)
		return err
	})
	return fs, err
}

// SignAll keeps several steps at once, in their order, each judged as if it were recorded alone. The first that may
// not be recorded leaves nothing recorded, and is named; a reading that does not pass is kept as it is and ends it.
func SignAll(ctx context.Context, k *kernel.Kernel, kind Kind, load Loads, in []Input, token string) (bad string,
	err error) {
	err = k.Action(ctx, token, string(kind)+"-steps", func(tx *gorm.DB) error {
		for _, x := range in {
			fs, err := sign(tx, k, load, x)
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

// sign is one step inside a transaction.
func sign(tx *gorm.DB, k *kernel.Kernel, load Loads, in Input) (fs []finding.Finding, err error) {
	w, err := load(tx, in.Step)
	if err != nil {
		return nil, err
	}
	if w.May != nil {
		if err := w.May(tx, in.Step); err != nil {
			return nil, err
		}
	}
	d, err := gates.Take(w.States, in.Step, in.done(kernel.Signed(tx.Statement.Context)), w.Near)
	if err != nil {
		return nil, asShop(err)
	}
	if w.Named && strings.Trim(kernel.Acts(tx), "–- ") == "" {
		return nil, kernel.Bad("by", "expected initials: this is recorded with them")
	}
	if !d.OK && d.Reading != "" && w.Told != nil {
		d.Found = append(d.Found, w.Told(in.Step, d.Value)...)
	}
	row := store.StepRecord{Kind: string(w.Kind), SubjectID: w.ID, Version: w.Version, Step: in.Step,
		DoneBy: kernel.Acts(tx), DoneAt: k.Now(), OK: d.OK, Value: d.Value, Reading: d.Reading,
		Findings: store.JSONOf(d.Found), Override: d.Override, Token: in.Token}
	if err := tx.Create(&row).Error; err != nil {
		return nil, err
	}
	if w.After != nil {
		if err := w.After(tx, d, row); err != nil {
			return nil, err
		}
	}
	text := d.Text()
	if d.Reading != "" && w.Named {
		text += ", " + d.Reading
	}
	return d.Found, k.Log(tx, w.Event, w.About, "%s%s: %s", w.Name, d.Title, text)
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
