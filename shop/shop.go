// Package shop is what a person does in the workshop: one function for each action, which loads,
// asks the core, and saves in one transaction.
//
// Actions fail with Invalid (something typed cannot be used; it names the field), Conflict
// (somebody else saved meanwhile), NotFound, Blocked (a stop stands) or Again (this very form was
// saved before).
package shop

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/module/grade"
	"pandrel/core/module/survey"
	"pandrel/store"
)

// RulesVersion is written with every derived result; it changes when a rule does.
const RulesVersion = "2026-11-3"

// Stations of the path, in order.
const (
	Receive = "receive"
	Inspect = "inspect"
	Map     = "map"
	Survey  = "survey"
	Test    = "test"
	Grade   = "grade"
	Design  = "design"
	Wire    = "wire"
	Keep    = "keep"
	Out     = "out" // rejected, scrapped: off the path
)

// Stations lists the path.
var Stations = []string{Receive, Inspect, Map, Survey, Test, Grade, Design, Wire, Keep}

// Policy is the shop's limits in one place.
type Policy struct {
	Survey   survey.Policy
	Grade    grade.Policy
	Currency string
}

// DefaultPolicy is the handbook's.
var DefaultPolicy = Policy{Survey: survey.DefaultPolicy, Grade: grade.DefaultPolicy, Currency: "EUR"}

// Shop is a workshop. Now is the clock.
type Shop struct {
	st     *store.Store
	now    func() time.Time
	Policy Policy
	// MonitorAddress is where the cell monitor answers (host:port), "" for none.
	MonitorAddress string
	// MeterAddress is where the bench meter answers (host:port), "" for none.
	MeterAddress string

	plugs plugs
}

// New returns a workshop over st; now is the clock, nil for the real one.
func New(st *store.Store, now func() time.Time) *Shop {
	if now == nil {
		now = time.Now
	}
	return &Shop{st: st, now: func() time.Time { return now().UTC().Truncate(time.Second) }, Policy: DefaultPolicy}
}

// Now returns the workshop's time.
func (s *Shop) Now() time.Time { return s.now() }

// Invalid says which fields cannot be used, and why. The key "" is the whole form.
type Invalid struct{ Fields map[string]string }

func (e *Invalid) Error() string {
	keys := make([]string, 0, len(e.Fields))
	for k := range e.Fields {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	parts := make([]string, 0, len(keys))
	for _, k := range keys {
		if k == "" {
			parts = append(parts, e.Fields[k])
		} else {
			parts = append(parts, k+": "+e.Fields[k])
		}
	}
	return strings.Join(parts, "; ")
}

// Bad returns an Invalid for one field.
func Bad(field, format string, args ...any) error {
	return &Invalid{map[string]string{field: fmt.Sprintf(format, args...)}}
}

// checks collects field errors.
type checks map[string]string

func (c checks) need(ok bool, field, format string, args ...any) {
	if _, told := c[field]; !ok && !told {
		c[field] = fmt.Sprintf(format, args...)
	}
}

func (c checks) err() error {
	if len(c) == 0 {
		return nil
	}
	return &Invalid{c}
}

// NotFound says what does not exist.
type NotFound struct{ What string }

func (e *NotFound) Error() string { return e.What + " does not exist" }

// Conflict says that somebody else saved the record meanwhile. Saved lists the fields as they are
// now, by the names the form uses.
type Conflict struct {
	What    string
	Version int
	Saved   map[string]string
}

func (e *Conflict) Error() string {
	if len(e.Saved) == 0 {
		return e.What + " was changed by somebody else meanwhile. What you typed is still here and not saved; open the page once more beside it to see theirs. Saving now replaces it"
	}
	return e.What + " was changed by somebody else meanwhile; both versions are shown"
}

// Blocked says that a stop or a refusal stands in the way.
type Blocked struct{ Findings []finding.Finding }

func (e *Blocked) Error() string {
	if len(e.Findings) == 0 {
		return "a stop stands in the way"
	}
	return e.Findings[0].Text + " " + e.Findings[0].Do
}

// blockedBy makes a Blocked with one finding.
func blockedBy(code, subject, text, do string) error {
	return &Blocked{[]finding.Finding{{Level: finding.Stop, Code: code, Subject: subject, Rule: "hazards", Text: text, Do: do}}}
}

// Again says that this very form was saved before: nothing was saved twice.
type Again struct{}

func (e *Again) Error() string { return "this was saved already" }

// action runs f in a transaction, after noting the form's token. A token seen before ends it with
// Again and saves nothing.
func (s *Shop) action(ctx context.Context, token, path string, f func(tx *gorm.DB) error) error {
	return s.st.Write(ctx, func(tx *gorm.DB) error {
		if token != "" {
			var n int64
			if err := tx.Model(&store.Submission{}).Where("token = ?", token).Count(&n).Error; err != nil {
				return err
			}
			if n > 0 {
				return &Again{}
			}
			if err := tx.Create(&store.Submission{Token: token, At: s.now(), Path: path}).Error; err != nil {
				return err
			}
		}
		return f(tx)
	})
}

// about names what an event is about.
type about struct{ module, bank, lot, typ int64 }

func ref(id int64) *int64 {
	if id == 0 {
		return nil
	}
	return &id
}

func (s *Shop) log(tx *gorm.DB, who, kind string, a about, format string, args ...any) error {
	return tx.Create(&store.Event{At: s.now(), Who: who, Kind: kind, ModuleID: ref(a.module), BankID: ref(a.bank), LotID: ref(a.lot), TypeID: ref(a.typ), Text: fmt.Sprintf(format, args...)}).Error
}

// moveTo sends a module to a station; it keeps the time since which it waits there.
func (s *Shop) moveTo(tx *gorm.DB, m *store.Module, station string) error {
	if m.Station == station {
		return nil
	}
	m.Station, m.StationSince = station, s.now()
	return tx.Model(m).Where("id = ?", m.ID).Updates(map[string]any{"station": station, "station_since": m.StationSince}).Error
}

// Module finds a module by its number, in any case.
func (s *Shop) Module(ctx context.Context, number string) (store.Module, error) {
	return moduleByNumber(s.st.DB.WithContext(ctx), number)
}

func moduleByNumber(db *gorm.DB, number string) (store.Module, error) {
	var m store.Module
	err := db.Where("number = ? COLLATE NOCASE", strings.TrimSpace(number)).Take(&m).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return m, &NotFound{"module " + number}
	}
	return m, err
}

// Type finds a module type.
func (s *Shop) Type(ctx context.Context, id int64) (store.ModuleType, error) {
	return typeByID(s.st.DB.WithContext(ctx), id)
}

func typeByID(db *gorm.DB, id int64) (store.ModuleType, error) {
	var t store.ModuleType
	err := db.Where("id = ?", id).Take(&t).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return t, &NotFound{fmt.Sprintf("module type %d", id)}
	}
	return t, err
}

// usable returns an error when m may not be worked on further.
func usable(m store.Module) error {
	if m.Quarantined {
		return blockedBy("quarantined", m.Number, fmt.Sprintf("%s is in quarantine: %s", m.Number, m.QuarantineWhy), "It cannot be tested, matched or wired.")
	}
	return nil
}

// quarantine marks m; it is never lifted by a later result.
func (s *Shop) quarantine(tx *gorm.DB, m *store.Module, who, why string) error {
	if m.Quarantined {
		return nil
	}
	m.Quarantined, m.QuarantineWhy = true, why
	if err := tx.Model(m).Where("id = ?", m.ID).Updates(map[string]any{"quarantined": true, "quarantine_why": why}).Error; err != nil {
		return err
	}
	return s.log(tx, who, "quarantine", about{module: m.ID}, "Quarantined: %s", why)
}

func toJSON(v any) string {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err) // only plain core values are written
	}
	return string(b)
}

func fromJSON[T any](s string) (T, error) {
	var v T
	if s == "" {
		return v, nil
	}
	err := json.Unmarshal([]byte(s), &v)
	return v, err
}

func initials(by string) string {
	by = strings.TrimSpace(by)
	if by == "" {
		return "–"
	}
	return by
}
