package trace_test

import (
	"fmt"
	"strconv"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/logfile"
	"pandrel/core/test/trace"
	"pandrel/golden"
)

// disturbance is what happens to some lines of a log, one after the other.
type disturbance struct {
	name string
	do   func(cells []string, k int) []string // k counts the lines that it has gone on for; nil leaves the line out
}

// moved adds to a cell, or sets it where to is given.
func moved(cell int, by float64, to *float64) func([]string, int) []string {
	return func(c []string, _ int) []string {
		v, _ := strconv.ParseFloat(c[cell], 64)
		if v += by; to != nil {
			v = *to
		}
		c[cell] = fmt.Sprintf("%.3f", v)
		return c
	}
}

func disturbances() []disturbance {
	zero, low, high := 0.0, 0.05, 4.6
	out := []disturbance{{"left out", func([]string, int) []string { return nil }}, {"current to nothing", moved(2, 0,
		&zero)}, {"a cell to nothing", moved(5, 0, &zero)}, {"a cell to 0.05 V", moved(5, 0, &low)}, {"a cell to 4.6 V",
		moved(5, 0, &high)}, {"all cells to nothing", func(c []string, _ int) []string {
		c[1], c[4], c[5], c[6] = "0", "0", "0", "0"
		return c
	}}, {"sign turned", func(c []string, _ int) []string {
		v, _ := strconv.ParseFloat(c[2], 64)
		c[2] = fmt.Sprintf("%.2f", -v)
		return c
	}}, {"no reading", func(c []string, _ int) []string { c[5] = "OL"; return c }}, {"later by 200 s", moved(0, 200,
		nil)}, {"warm", moved(3, 30, nil)}, {"apart further and further", func(c []string, k int) []string {
		return moved(5, -0.004*float64(k), nil)(c, k)
	}}}
	for _, by := range []float64{-0.9, -0.3, -0.11, -0.09, -0.03, -0.012, 0.012, 0.03, 0.09, 0.11, 0.3} {
		out = append(out, disturbance{fmt.Sprintf("a cell by %g V", by), moved(5, by, nil)})
	}
	for _, by := range []float64{-30, -1, 0.2, 1, 30} {
		out = append(out, disturbance{fmt.Sprintf("current by %g A", by), moved(2, by, nil)})
	}
	return out
}

// A log in which something happens at rest, under load, before the floor, in the pause, in the charge and at the end,
// for a line, for three and for thirty: what is held against it, and what becomes of its capacity.
func TestWhatADisturbedLogSays(t *testing.T) {
	base := strings.Split(strings.TrimSpace(string(groupLog(0.04))), "\n")
	at := map[string]int{"at rest": 20, "as it begins": 42, "under load": 120, "in the pause": 242,
		"before the floor": 0, "at rest after it": 0, "in the charge": 0, "at the end": len(base) - 2}
	for i, l := range base {
		if amps := strings.Split(l, ",")[2]; i > 300 && at["before the floor"] == 0 && amps == "0.00" {
			at["before the floor"], at["at rest after it"], at["in the charge"] = i-3, i+30, i+120
		}
	}
	var b strings.Builder
	for _, where := range []string{"at rest", "as it begins", "under load", "in the pause", "before the floor",
		"at rest after it", "in the charge", "at the end"} {
		for _, d := range disturbances() {
			for _, lines := range []int{1, 3, 30} {
				out := []string{}
				for i, l := range base {
					if k := i - at[where]; i > 0 && k >= 0 && k < lines {
						c := d.do(strings.Split(l, ","), k+1)
						if c == nil {
							continue
						}
						l = strings.Join(c, ",")
					}
					out = append(out, l)
				}
				fmt.Fprintf(&b, "%s, %d, %s: %s\n", where, lines, d.name, told(strings.Join(out, "\n")))
			}
		}
	}
	golden.Same(t, "disturbed", b.String())
}

// told is what a log of three groups comes to, in a line.
func told(text string) string {
	log, err := logfile.Parse([]byte(text))
	if err != nil {
		return "error: " + err.Error()
	}
	r, err := trace.Analyse(log, trace.Options{Chemistry: chem.NMC, Series: 3, RatedAh: 46, FloorVolts: 3.21})
	if err != nil {
		return "error: " + err.Error()
	}
	var out []string
	if c := r.Capacity; c != nil {
		out = append(out, fmt.Sprintf("%.4g Ah", c.Ah))
	}
	if r.Held != nil {
		out = append(out, "held")
	}
	if r.LimitingGroup != nil {
		out = append(out, fmt.Sprintf("group %d", *r.LimitingGroup))
	}
	for _, x := range []*float64{r.AsFoundAh, r.BalancedAh, r.OthersAh} {
		if x != nil {
			out = append(out, fmt.Sprintf("%.4g", *x))
		}
	}
	out = append(out, fmt.Sprintf("%d stretches, %d gaps, %d problems", len(r.Segments), len(r.Gaps), len(r.Problems)))
	for _, f := range r.Findings {
		x := fmt.Sprint(f.Level, " ", f.Code)
		if f.Measured != nil {
			x += fmt.Sprintf(" %.4g", *f.Measured)
		}
		out = append(out, x)
	}
	return strings.Join(out, ", ")
}
