package shop_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/typed"
	"pandrel/shop/test"
)

// setLog is a log of LFP cells in series: the one at weak is at its floor at the end.
func setLog(cells, weak int) []byte {
	var b strings.Builder
	b.WriteString("time_s,Pack Voltage (V),amps")
	for i := range cells {
		fmt.Fprintf(&b, ",cell%d (mV)", i+1)
	}
	b.WriteString("\n")
	at := 0
	row := func(amps float64, volts func(i int) float64) {
		sum, text := 0.0, ""
		for i := range cells {
			sum += volts(i)
			text += fmt.Sprintf(",%.0f", volts(i)*1000)
		}
		fmt.Fprintf(&b, "%d,%.3f,%.1f%s\n", at, sum, amps, text)
		at += 30
	}
	for range 80 {
		row(0, func(int) float64 { return 3.42 })
	}
	for q := 0.0; q < 90; q += 20 * 30.0 / 3600 {
		row(-20, func(i int) float64 {
			v := 3.25 - 0.1*q/90
			if i == weak && q > 85 {
				v -= 0.65 * (q - 85) / 5
			}
			return v
		})
	}
	row(-20, func(i int) float64 { return map[bool]float64{true: 2.49, false: 3.15}[i == weak] })
	row(-20, func(i int) float64 { return map[bool]float64{true: 2.48, false: 3.15}[i == weak] })
	for range 80 {
		row(0, func(i int) float64 { return map[bool]float64{true: 2.7, false: 3.21 + 0.005*float64(i)}[i == weak] })
	}
	return []byte(b.String())
}

// One log of cells in series gives each its own figure: a capacity for the one that ended it, 'at least' for the
// others.
func TestALogOfASetOfCells(t *testing.T) {
	r := newRig(t)
	made := r.cells(4, 12)
	var numbers []string
	for _, m := range made.Modules {
		r.look(m.Number)
		_, err := r.survey(m.Number, 3.30)
		r.must(err)
		numbers = append(numbers, m.Number)
	}
	listed, err := typed.Labels(numbers[0]+" to "+numbers[3], test.MostInSet)
	if err != nil || !slices.Equal(listed, numbers) {
		t.Fatalf("%v, %v: expected %v", listed, err, numbers)
	}
	in := test.SetInput{Numbers: numbers, FileName: "set.csv", Data: setLog(4, 2), Token: r.token()}
	cells, set, err := r.Tests.TrySet(r.ctx, in)
	r.must(err)
	if len(cells) != 4 || set.Weakest != numbers[2] || len(set.Findings) == 0 {
		t.Fatalf("%+v of %+v", set, cells)
	}
	for i, x := range cells {
		c := x.Result.Capacity
		if c == nil || c.Complete != (i == 2) || c.Ah < 85 || c.EndVolts > 3.3 || x.Column !=
			fmt.Sprintf("cell%d (mV)", i+1) {
			t.Errorf("%s: %+v %+v", x.Number, c, x.Result.Findings)
		}
	}
	kept, err := r.Tests.RecordSet(r.ctx, in)
	r.must(err)
	for _, x := range kept {
		if x.Fails != "" {
			t.Errorf("%s: %s", x.Number, x.Fails)
		}
	}
	for i, n := range numbers {
		l, err := r.Desk.Life(r.ctx, n)
		r.must(err)
		if l.Result.Complete != (i == 2) || len(l.Logs) != 1 {
			t.Errorf("%s: %+v", n, l.Result)
		}
	}
	in.Numbers, in.Token = numbers[:3], r.token()
	if _, _, err := r.Tests.TrySet(r.ctx, in); !invalid(err, "numbers") {
		t.Errorf("three numbers for four columns: %v", err)
	}
	for _, bad := range []string{"", "C-009 to C-001", "C-001 to D-004", "A1 to A999999"} {
		if _, err := typed.Labels(bad, test.MostInSet); err == nil {
			t.Errorf("%q is a list", bad)
		}
	}
}
