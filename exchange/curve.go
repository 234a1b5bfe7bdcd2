package exchange

import (
	"strings"

	"pandrel/core/base/numeral"
)

// MaxCurvePoints bounds a rest curve.
const MaxCurvePoints = 500

// ReadCurve reads a rest curve: a line for each point, charge in per cent and volts of one group at
// rest, separated by a semicolon, tab or blanks, or by a comma where the numbers have decimal points.
// A line of names at the top is left out.
func ReadCurve(data []byte) (socPct, volts []float64, err error) {
	for i, line := range strings.Split(strings.TrimPrefix(string(data), "\ufeff"), "\n") {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		w := strings.FieldsFunc(line, func(r rune) bool { return r == ' ' || r == ';' || r == '\t' })
		if len(w) == 1 {
			w = strings.Split(line, ",")
		}
		shown := line
		if r := []rune(shown); len(r) > 30 {
			shown = string(r[:30])
		}
		if len(w) != 2 {
			if len(socPct) == 0 && i == 0 && !strings.ContainsAny(line, "0123456789") {
				continue
			}
			return nil, nil, fail(i+1, "%q: expected per cent and volts, such as 50 3,71", shown)
		}
		soc, err1 := numeral.Parse(w[0])
		v, err2 := numeral.Parse(w[1])
		if err1 != nil && err2 != nil && len(socPct) == 0 {
			continue // names of columns
		}
		if err1 != nil || err2 != nil {
			return nil, nil, fail(i+1, "%q: expected two numbers, such as 50 3,71", shown)
		}
		if len(socPct) == MaxCurvePoints {
			return nil, nil, fail(i+1, "more than %s: expected one for every per cent or so",
				numeral.Count(MaxCurvePoints, "point"))
		}
		socPct, volts = append(socPct, soc.Value), append(volts, v.Value)
	}
	if len(socPct) == 0 {
		return nil, nil, fail(0, "no points: expected a line for each, per cent and volts")
	}
	return socPct, volts, nil
}
