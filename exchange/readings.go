package exchange

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"pandrel/core/bank/netlist"
	"pandrel/core/module/sense"

	"pandrel/core/bank/match"
	"pandrel/core/base/chem"
	"pandrel/core/module/layout"
	"pandrel/core/module/survey"
)

// ReadProbes reads red,black,volts[,accuracy_v], with or without a header line. notes lists what was ignored.
func ReadProbes(data []byte) (readings []layout.Reading, notes []string, err error) {
	t, err := readTable(data, []string{"red", "black", "volts", "accuracy_v"}, 3)
	if err != nil {
		return nil, nil, err
	}
	for i := range t.rows {
		v, err := t.need(i, "volts")
		if err != nil {
			return nil, nil, err
		}
		acc, _, err := t.within(i, "accuracy_v", 0, max(1, math.Abs(v.Value)), "V")
		if err != nil {
			return nil, nil, err
		}
		r := layout.Reading{Red: t.text(i, "red"), Black: t.text(i, "black"), Volts: v.Value,
			LastDigit: min(v.LastDigit, 1), AccuracyVolts: acc, Line: t.lines[i]}
		if r.Red == "" || r.Black == "" {
			return nil, nil, fail(t.lines[i], "a point has no name: expected a name for the red and the black probe")
		}
		readings = append(readings, r)
	}
	return readings, t.notes, nil
}

// ReadRoles reads point,role,order.
func ReadRoles(data []byte) ([]layout.Role, []string, error) {
	t, err := readTable(data, []string{"point", "role", "order"}, 2)
	if err != nil {
		return nil, nil, err
	}
	var out []layout.Role
	known := []string{layout.RoleMainNegative, layout.RoleMainPositive, layout.RolePost, layout.RolePin, ""}
	for i := range t.rows {
		r := layout.Role{Point: t.text(i, "point"), Role: strings.ToLower(t.text(i, "role"))}
		if r.Point == "" {
			return nil, nil, fail(t.lines[i], "the point has no name")
		}
		if !slices.Contains(known, r.Role) {
			return nil, nil, fail(t.lines[i], "role %q: expected main_negative, main_positive, post or pin", r.Role)
		}
		if t.text(i, "order") != "" {
			if r.Order, err = t.whole(i, "order"); err != nil {
				return nil, nil, err
			}
			if r.Order < 1 {
				return nil, nil, fail(t.lines[i], "order %d: expected 1 or more", r.Order)
			}
		}
		out = append(out, r)
	}
	return out, t.notes, nil
}

// groups reads the group of a row: 3, or 3-4 where two were read together because the tap between them is broken.
func (t *table) groups(i int) (group, span int, err error) {
	text := t.text(i, "group")
	low, high, together := strings.Cut(text, "-")
	n, err1 := strconv.Atoi(strings.TrimSpace(low))
	m := n
	var err2 error
	if together {
		m, err2 = strconv.Atoi(strings.TrimSpace(high))
	}
	if err1 != nil || err2 != nil || n < 1 || m < n || m > 1000 || m-n > 20 {
		return 0, 0, fail(t.lines[i], "group %q: expected a whole number from 1, or such as 3-4 for two groups "+
			"that were read together", text)
	}
	return n, m - n + 1, nil
}

// ReadSurvey reads module,group,volts[,temp_c][,taken_at][,rest_min][,accuracy_v] into one survey for each module, in
// the order of the file. A group read a second time confirms a voltage below never-recharge: the second reading counts.
func ReadSurvey(data []byte, id chem.ID, ratedAh float64) ([]survey.Module, []string, error) {
	t, err := readTable(data, []string{"module", "group", "volts", "temp_c", "taken_at", "rest_min", "accuracy_v"}, 3)
	if err != nil {
		return nil, nil, err
	}
	var out []survey.Module
	at := map[string]int{}
	for i := range t.rows {
		name := t.text(i, "module")
		if name == "" {
			return nil, nil, fail(t.lines[i], "the module has no name")
		}
		k, ok := at[name]
		if !ok {
			k = len(out)
			at[name] = k
			out = append(out, survey.Module{Name: name, Chemistry: id, RatedAh: ratedAh, RestMinutes: -1})
		}
		m := &out[k]
		v, err := t.need(i, "volts")
		if err != nil {
			return nil, nil, err
		}
		r := survey.Reading{Volts: v.Value, LastDigit: v.LastDigit}
		if r.Group, r.Span, err = t.groups(i); err != nil {
			return nil, nil, err
		}
		if err := t.sitting(i, m, &r); err != nil {
			return nil, nil, err
		}
		if old := slices.IndexFunc(m.Readings, func(x survey.Reading) bool { return x.Group == r.Group }); old >= 0 {
			if !survey.TakeAgain(id, m.Readings[old].Volts, &r) {
				return nil, nil, fail(t.lines[i], "module %s group %d is read twice", name, r.Group)
			}
			m.Readings[old] = r
			continue
		}
		m.Readings = append(m.Readings, r)
	}
	survey.Together(out)
	return out, t.notes, nil
}

// sitting reads what a line says of how and when its group was read.
func (t *table) sitting(i int, m *survey.Module, r *survey.Reading) error {
	if temp, ok, err := t.within(i, "temp_c", -40, 120, "°C"); err != nil {
		return err
	} else if ok {
		r.TempC = &temp
	}
	if rest, ok, err := t.within(i, "rest_min", 0, 1e7, "min"); err != nil {
		return err
	} else if ok {
		m.RestMinutes = rest
	}
	if acc, ok, err := t.within(i, "accuracy_v", 0, 1, "V"); err != nil {
		return err
	} else if ok {
		m.AccuracyVolts = max(m.AccuracyVolts, acc)
	}
	s := t.text(i, "taken_at")
	if s == "" {
		return nil
	}
	at, ok := ParseTime(s, time.UTC) // a file alone has no workshop
	if !ok {
		return fail(t.lines[i], "taken_at %q: expected a time such as 2026-11-20T09:30", s)
	}
	m.TakenAt = at
	return nil
}

// ParseTime reads a time as files write it, to the minute or second or the day alone; without a zone it is one of where
// the workshop is.
func ParseTime(s string, zone *time.Location) (time.Time, bool) {
	for _, layout := range []string{time.RFC3339, "2006-01-02T15:04", "2006-01-02T15:04:05", "2006-01-02 15:04",
		"2006-01-02 15:04:05", "2006-01-02"} {
		if at, err := time.ParseInLocation(layout, s, zone); err == nil {
			return at, true
		}
	}
	return time.Time{}, false
}

// ReadMatch reads module,capacity_ah[,resistance_mohm][,type][,pin][,ban].
func ReadMatch(data []byte) ([]match.Module, []string, error) {
	t, err := readTable(data, []string{"module", "capacity_ah", "resistance_mohm", "type", "pin", "ban"}, 2)
	if err != nil {
		return nil, nil, err
	}
	var out []match.Module
	for i := range t.rows {
		m := match.Module{Name: t.text(i, "module"), Type: t.text(i, "type")}
		q, err := t.need(i, "capacity_ah")
		if err != nil {
			return nil, nil, err
		}
		m.CapacityAh = q.Value
		if r, _, err := t.number(i, "resistance_mohm"); err != nil {
			return nil, nil, err
		} else {
			m.ResistanceMOhm = r.Value
		}
		if t.text(i, "pin") != "" {
			if m.Pin, err = t.whole(i, "pin"); err != nil {
				return nil, nil, err
			}
		}
		for _, f := range strings.Fields(t.text(i, "ban")) {
			var n int
			if _, err := fmt.Sscanf(f, "%d", &n); err != nil {
				return nil, nil, fail(t.lines[i], "ban %q: expected position numbers separated by blanks", f)
			}
			m.Ban = append(m.Ban, n)
		}
		out = append(out, m)
	}
	return out, t.notes, nil
}

// ReadMeasured reads bms,input,volts[,against]: sense leads measured against the main negative. In a row
// where against is 0 the black probe was on the end of lead 0.
func ReadMeasured(data []byte) ([]sense.Measured, []string, error) {
	t, err := readTable(data, []string{"bms", "input", "volts", "against"}, 3)
	if err != nil {
		return nil, nil, err
	}
	var out []sense.Measured
	for i := range t.rows {
		m := sense.Measured{BMS: t.text(i, "bms")}
		if m.Input, err = t.whole(i, "input"); err != nil {
			return nil, nil, err
		}
		v, err := t.need(i, "volts")
		if err != nil {
			return nil, nil, err
		}
		m.Volts = v.Value
		switch a := t.text(i, "against"); a {
		case "":
		case "0":
			m.AgainstZero = true
		default:
			return nil, nil, fail(t.lines[i], "against %q: expected 0 for the end of lead 0, or nothing for the "+
				"main negative", a)
		}
		out = append(out, m)
	}
	return out, t.notes, nil
}

// ReadWiring reads a netlist from JSON. Keys that are not known are ignored and listed in notes.
func ReadWiring(data []byte) (netlist.Netlist, []string, error) {
	return readJSON[netlist.Netlist](data, "modules, conductors, bms and terminals")
}

// readJSON reads one JSON object. Keys that are not known are ignored with a note; holds says what is in the object.
func readJSON[T any](data []byte, holds string) (out T, notes []string, err error) {
	if len(bytes.TrimSpace(data)) == 0 {
		return out, nil, fail(0, "empty: expected a JSON object with %s", holds)
	}
	if err := json.Unmarshal(data, &out); err != nil {
		var se *json.SyntaxError
		var te *json.UnmarshalTypeError
		switch {
		case errors.As(err, &se):
			return out, nil, fail(lineAt(data, se.Offset), "not JSON: %v; expected an object with %s", se, holds)
		case errors.As(err, &te):
			return out, nil, fail(lineAt(data, te.Offset), "%s is %s: expected %s", te.Field, te.Value, te.Type)
		}
		return out, nil, fail(0, "not readable: %v", err)
	}
	dec := json.NewDecoder(bytes.NewReader(data))
	dec.DisallowUnknownFields()
	var strict T
	if err := dec.Decode(&strict); err != nil && strings.Contains(err.Error(), "unknown field") {
		notes = append(notes, strings.TrimPrefix(err.Error(), "json: ")+
			" is not known and is ignored, as are others like it")
	}
	return out, notes, nil
}

func lineAt(data []byte, offset int64) int {
	return 1 + bytes.Count(data[:min(int(offset), len(data))], []byte("\n"))
}
