package gates_test

import (
	"errors"
	"math"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"pandrel/core/procedure/gates"
)

var work = []gates.Step{
	{Key: "who", Title: "Second person", Gate: true, Must: true, Ask: gates.AskName},
	{Key: "off", Title: "Loads off", Gate: true, Ask: gates.AskConfirm},
	{Key: "volts", Title: "Between the ends", Gate: true, Ask: gates.AskReading, High: 5, Unit: "V"},
	{Key: "plan", Title: "Near the plan", Gate: true, Ask: gates.AskVolts, Low: 48, High: 52},
	{Key: "iso", Title: "Against the case", Gate: true, Must: true, Ask: gates.AskIsolation},
}

// before returns the states of work in which everything before a step passed.
func before(key string) []gates.State {
	var records []gates.Record
	for _, s := range work {
		if s.Key == key {
			break
		}
		records = append(records, gates.Record{Key: s.Key, OK: true})
	}
	return gates.States(work, records)
}

func TestTake(t *testing.T) {
	reason := "the meter is at the maker's until Friday"
	whole := &isolation.Readings{PackVolts: 52, PositiveVolts: 0.4, NegativeVolts: 0.3}
	leak := &isolation.Readings{PackVolts: 52, PositiveVolts: 52, NegativeVolts: 0}
	for _, c := range []struct {
		name  string
		key   string
		in    gates.Input
		ok    bool
		field string // of a FieldError
		open  bool   // an OpenError
	}{
		{"a name", "who", gates.Input{Name: " Ada Karlsen "}, true, "", false},
		{"one letter is no name", "who", gates.Input{Name: " A "}, false, "name", false},
		{"no reason stands for the second person", "who", gates.Input{Override: reason, By: "AK"}, false, "", true},
		{"a tick", "off", gates.Input{Confirm: true}, true, "", false},
		{"no tick", "off", gates.Input{}, false, "confirm", false},
		{"a reason instead of a tick", "off", gates.Input{Override: reason, By: "AK"}, false, "", false},
		{"a reason that says nothing", "off", gates.Input{Override: "because", By: "AK"}, false, "override", false},
		{"a reason of nobody", "off", gates.Input{Override: reason}, false, "override", false},
		{"a reading within", "volts", gates.Input{Reading: finding.Of(1.2)}, true, "", false},
		{"zero is a reading", "volts", gates.Input{Reading: finding.Of(0)}, true, "", false},
		{"swapped probes", "volts", gates.Input{Reading: finding.Of(-1.2)}, true, "", false},
		{"a reading outside is kept", "volts", gates.Input{Reading: finding.Of(180)}, false, "", false},
		{"no reading", "volts", gates.Input{}, false, "reading", false},
		{"not a number", "volts", gates.Input{Reading: finding.Of(math.NaN())}, false, "", false},
		{"volts by the step's own range", "plan", gates.Input{Reading: finding.Of(50)}, true, "", false},
		{"isolated", "iso", gates.Input{Case: whole}, true, "", false},
		{"all of the voltage against the case", "iso", gates.Input{Case: leak}, false, "", false},
		{"two of three readings", "iso", gates.Input{}, false, "pack_v", false},
		{"a step that is not there", "none", gates.Input{Confirm: true}, false, "", false},
	} {
		t.Run(c.name, func(t *testing.T) {
			d, err := gates.Take(before(c.key), c.key, c.in, nil)
			var fe *gates.FieldError
			var oe *gates.OpenError
			switch {
			case c.open:
				if !errors.As(err, &oe) {
					t.Fatalf("%v: expected an open gate", err)
				}
			case c.field != "" || c.key == "none":
				if !errors.As(err, &fe) || fe.Field != c.field {
					t.Fatalf("%v: expected the field %q", err, c.field)
				}
			case err != nil:
				t.Fatal(err)
			}
			if err == nil && d.OK != c.ok {
				t.Errorf("passed %v, expected %v", d.OK, c.ok)
			}
			if err == nil && (c.in.Reading != nil && d.Reading == "" || c.in.Case != nil && d.Reading == "") {
				t.Error("what was read is not on record")
			}
			if err == nil && !d.OK && len(d.Found) == 0 && d.Override == "" {
				t.Error("did not pass, and nothing says why")
			}
		})
	}
}

// A gate that is open holds whatever comes after it, however good the reading.
func TestTakeWaits(t *testing.T) {
	for i, s := range work[1:] {
		t.Run(s.Key, func(t *testing.T) {
			var oe *gates.OpenError
			_, err := gates.Take(before(work[i].Key), s.Key, gates.Input{Confirm: true, Reading: finding.Of(1)}, nil)
			if !errors.As(err, &oe) {
				t.Errorf("%v: taken before %q", err, work[i].Title)
			}
		})
	}
}

// A plan's voltage is judged by whoever knows the plan, and by nobody else.
func TestTakeAsksThePlan(t *testing.T) {
	asked := 0.0
	near := func(_ gates.Step, v float64) (bool, finding.Finding) {
		asked = v
		return false, finding.Finding{Level: finding.Stop, Code: "plan"}
	}
	d, err := gates.Take(before("plan"), "plan", gates.Input{Reading: finding.Of(50)}, near)
	if err != nil || d.OK || asked != 50 || len(d.Found) != 1 || d.Found[0].Code != "plan" {
		t.Errorf("%+v %v, asked with %v", d, err, asked)
	}
	if d, err = gates.Take(before("volts"), "volts", gates.Input{Reading: finding.Of(1)}, near); err != nil || !d.OK {
		t.Errorf("a reading that no plan is asked about: %+v %v", d, err)
	}
}
