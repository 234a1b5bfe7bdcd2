// Package kernel is what every action of the workshop stands on: one transaction with a token that makes sending a
// form twice harmless, the log, the errors, and look-ups by number. It knows no trade.
//
// Rows are looked up and written through GORM. SQL stands where one statement does what GORM would do in many or say
// worse: joins over several tables, counts by station, the newest of each, what has none of something, and updates that
// compare a version. Values of the trade go in as parameters, never as text in a statement.
//
// Actions fail with Invalid (something typed cannot be used; it names the field), Conflict (somebody else saved
// meanwhile), NotFound, Blocked (a stop stands) or Again (this very form was saved before).
package kernel

import (
	"sync/atomic"
	"time"

	"gorm.io/gorm"

	"pandrel/core/module/grade"
	"pandrel/core/module/survey"
	"pandrel/store"
)

// RulesVersion is written with every derived result; it changes when a rule does.
const RulesVersion = "2026-11-7"

// Policy is the shop's limits in one place.
type Policy struct {
	Survey   survey.Policy
	Grade    grade.Policy // the rules'; Limits are what counts
	Currency string
}

// DefaultPolicy is the rules'.
var DefaultPolicy = Policy{Survey: survey.DefaultPolicy, Grade: grade.DefaultPolicy, Currency: "EUR"}

// Kernel is what every room stands on: the store, the clock, the policy.
type Kernel struct {
	Store  *store.Store
	now    func() time.Time
	Policy Policy
	// MonitorAddress is where the cell monitor answers (host:port), "" for none.
	MonitorAddress string
	// Zone is where the workshop is: times are typed and shown by its clock.
	Zone *time.Location

	// MeterAddress is where the bench meter answers (host:port), "" for none.
	MeterAddress string
	// CyclerAddress is where the cycler answers (host:port), "" for none.
	CyclerAddress string

	// Hold works out anew what holds a module, at the end of each action that touched it.
	Hold func(tx *gorm.DB, moduleID int64) error

	limits atomic.Pointer[store.GradeLimits]
}

// Limits are the limits that grades are given by: the shop's own, else the rules' under number 0.
func (s *Kernel) Limits(db *gorm.DB) (grade.Policy, int64, error) {
	l := s.limits.Load()
	if l == nil {
		newest, _, err := Find[store.GradeLimits](db.Order("id DESC"))
		if err != nil {
			return grade.Policy{}, 0, err
		}
		l = &newest
		s.limits.Store(l)
	}
	if l.ID == 0 {
		return s.Policy.Grade, 0, nil
	}
	return l.Policy(), l.ID, nil
}

// LimitsChanged makes the next question for the limits read them anew.
func (s *Kernel) LimitsChanged() { s.limits.Store(nil) }

// New returns a kernel over st; now is the clock, nil for the real one.
func New(st *store.Store, now func() time.Time) *Kernel {
	if now == nil {
		now = time.Now
	}
	return &Kernel{Store: st, now: func() time.Time { return now().UTC().Truncate(time.Second) }, Policy: DefaultPolicy,
		Zone: time.UTC}
}

// Now returns the workshop's time.
func (s *Kernel) Now() time.Time { return s.now() }

// Here is a time as the workshop's clock on the wall shows it. What is kept is UTC.
func (s *Kernel) Here(t time.Time) time.Time { return t.In(s.Zone) }

// Today is the day that the workshop's calendar shows.
func (s *Kernel) Today() string { return s.Here(s.Now()).Format(time.DateOnly) }
