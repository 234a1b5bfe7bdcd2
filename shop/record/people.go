package record

import (
	"fmt"

	"gorm.io/gorm"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// FullVolts is what a module stands at when it is full: by the highest of all chemistries where none is declared; 0
// where nobody knows how many groups it has.
func FullVolts(db *gorm.DB, m store.Module, t store.ModuleType) (float64, error) {
	series := t.PlateSeries
	if lay, ok, err := LayoutFor(db, m, t); err != nil {
		return 0, err
	} else if ok {
		series = lay.Series
	}
	full := 0.0
	if c, err := chem.Lookup(t.Chemistry); err == nil {
		full = float64(series) * c.ChargeLimitVolts
	} else {
		for _, c := range chem.All() {
			full = max(full, float64(series)*c.ChargeLimitVolts)
		}
	}
	volts, err := LastVolts(db, m.ID)
	now := 0.0
	for _, v := range volts {
		now += v
	}
	return max(full, now), err
}

// People are the gates of people before a module is worked on under current or opened, none where it stays below the
// limit of touch.
func (s *Room) People(db *gorm.DB, m store.Module, t store.ModuleType) (steps []gates.Step, full float64, err error) {
	if full, err = FullVolts(db, m, t); err != nil || full <= limits.TouchDryVolts {
		return nil, full, err
	}
	steps = gates.People(m.Number, full, rulePeople)
	volts, err := LastVolts(db, m.ID)
	now := 0.0
	for _, v := range volts {
		now += v
	}
	return append(steps, gates.Step{Key: "isolation", Title: "Isolation", Do: "Both ends against the case, each when " +
		"the reading has settled, one probe per connector.", Gate: true, Must: true, Ask: gates.AskIsolation,
		ExpectVolts: now, Rule: rulePeople}), full, err
}

const rulePeople = "hazards: shock"

// PeopleStand refuses work on a module above the limit of touch while a gate of people is open.
func (s *Room) PeopleStand(db *gorm.DB, m store.Module, t store.ModuleType) error {
	steps, full, err := s.People(db, m, t)
	if err != nil || len(steps) == 0 {
		return err
	}
	states, err := StatesOf(db, "module", m.ID, 0, steps)
	if err != nil {
		return err
	}
	return peopleOpen(states, m.Number, fmt.Sprintf("/modules/%s/people", m.Number), full)
}

// StatesOf joins steps of a procedure with what counts of its records.
func StatesOf(db *gorm.DB, kind string, id int64, version int, steps []gates.Step) ([]gates.State, error) {
	var rows []store.StepRecord
	if err := Counting(db, "step_records").Where("kind = ? AND subject_id = ? AND version = ?", kind, id, version).
		Order("id").Find(&rows).Error; err != nil {
		return nil, err
	}
	var done []gates.Record
	for _, r := range rows {
		done = append(done, gates.Record{Key: r.Step, OK: r.OK, Override: r.Override, Reading: r.Reading})
	}
	return gates.States(steps, done), nil
}

// BankPeopleStand refuses work on a bank that can stand above its limit of touch while a gate of people is open.
func BankPeopleStand(db *gorm.DB, b store.Bank, full, limit float64) error {
	if full <= limit {
		return nil
	}
	states, err := StatesOf(db, "bank", b.ID, b.DesignVersion, gates.People(b.Name, full, rulePeople))
	if err != nil {
		return err
	}
	return peopleOpen(states, b.Name, "its page, under the gates", full)
}

func peopleOpen(states []gates.State, of, where string, full float64) error {
	for _, st := range states {
		if st.Done {
			continue
		}
		return kernel.Stopped([]finding.Finding{finding.New(finding.Refuse, limits.HighVoltage).About(of).
			Reads(full, "V").Against(limits.TouchDryVolts).By(rulePeople).
			Says("%s can stand at %.1f V, above the limit of touch, and '%s' is not recorded.", of, full, st.Title).
			Then("Record the gates of people first: %s. No written reason passes them.", where)})
	}
	return nil
}
