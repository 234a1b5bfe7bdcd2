package known

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
)

// written is a number in JSON. An end that nothing bounds is left out; so are both where they are the value itself.
type written struct {
	Value float64  `json:"value"`
	Low   *float64 `json:"low,omitempty"`
	High  *float64 `json:"high,omitempty"`
	Open  string   `json:"open,omitempty"` // low, high or both: the ends that nothing bounds
	From  string   `json:"from"`
	Made  bool     `json:"worked,omitempty"`
}

// MarshalJSON writes a number, null for not known.
func (a Value) MarshalJSON() ([]byte, error) {
	if !a.Is() {
		return []byte("null"), nil
	}
	w := written{Value: a.v, From: a.from.String(), Made: a.worked}
	if a.low != a.high {
		open := ""
		if math.IsInf(a.low, 0) {
			open = "low"
		} else {
			w.Low = &a.low
		}
		if math.IsInf(a.high, 0) {
			open = map[string]string{"": "high", "low": "both"}[open]
		} else {
			w.High = &a.high
		}
		w.Open = open
	}
	return json.Marshal(w)
}

// UnmarshalJSON reads what MarshalJSON wrote. It fails for a source that does not exist and for no interval.
func (a *Value) UnmarshalJSON(data []byte) error {
	if string(data) == "null" {
		*a = Value{}
		return nil
	}
	var w written
	if err := json.Unmarshal(data, &w); err != nil {
		return fmt.Errorf("known: %w", err)
	}
	low, high := w.Value, w.Value
	if w.Low != nil {
		low = *w.Low
	}
	if w.High != nil {
		high = *w.High
	}
	switch w.Open {
	case "":
	case "low":
		low = math.Inf(-1)
	case "high":
		high = math.Inf(1)
	case "both":
		low, high = math.Inf(-1), math.Inf(1)
	default:
		return fmt.Errorf("known: open %q: expected low, high or both", w.Open)
	}
	from := slices.Index(sources[:], w.From)
	if from < 0 {
		return fmt.Errorf("known: from %q: expected one of %s", w.From, strings.Join(sources[1:], ", "))
	}
	x := Within(w.Value, low, high, Source(from))
	if !x.Is() {
		return fmt.Errorf("known: %v between %v and %v, %s: expected a number within its interval, with a source",
			w.Value, low, high, w.From)
	}
	x.worked = w.Made
	*a = x
	return nil
}

// MarshalText writes a number for a cell of a table: '41.2 measured', '38..44 likely 41.2 worked assumed', empty for
// not known. An end that nothing bounds is left out: '38.. measured'.
func (a Value) MarshalText() ([]byte, error) {
	if !a.Is() {
		return nil, nil
	}
	end := func(v float64) string {
		if math.IsInf(v, 0) {
			return ""
		}
		return strconv.FormatFloat(v, 'g', -1, 64)
	}
	text := end(a.v)
	if a.low != a.high {
		text = end(a.low) + ".." + end(a.high)
		if a.v != a.low || !math.IsInf(a.high, 1) {
			text += " likely " + end(a.v)
		}
	}
	if a.worked {
		text += " " + worked
	}
	return []byte(text + " " + a.from.String()), nil
}

// UnmarshalText reads what MarshalText wrote. It fails with what was expected.
func (a *Value) UnmarshalText(text []byte) error {
	fields := strings.Fields(string(text))
	if len(fields) == 0 {
		*a = Value{}
		return nil
	}
	bad := func() error {
		return fmt.Errorf("known: %.60q: expected such as '41.2 measured' or '38..44 likely 41.2 assumed'", text)
	}
	from := slices.Index(sources[:], fields[len(fields)-1])
	if from <= 0 {
		return bad()
	}
	fields = fields[:len(fields)-1]
	made := len(fields) > 0 && fields[len(fields)-1] == worked
	if made {
		fields = fields[:len(fields)-1]
	}
	if len(fields) != 1 && !(len(fields) == 3 && fields[1] == "likely") {
		return bad()
	}
	ends := func(s string, open float64) (float64, error) {
		if s == "" {
			return open, nil
		}
		return strconv.ParseFloat(s, 64)
	}
	l, h, interval := strings.Cut(fields[0], "..")
	if !interval {
		h = l
		if len(fields) != 1 || l == "" {
			return bad()
		}
	}
	low, err := ends(l, math.Inf(-1))
	if err != nil {
		return bad()
	}
	high, err := ends(h, math.Inf(1))
	if err != nil {
		return bad()
	}
	v := low
	if len(fields) == 3 {
		if v, err = strconv.ParseFloat(fields[2], 64); err != nil {
			return bad()
		}
	}
	x := Within(v, low, high, Source(from))
	if !x.Is() {
		return bad()
	}
	x.worked = made
	*a = x
	return nil
}
