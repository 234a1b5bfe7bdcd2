package standing_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/procedure/standing"
)

// Each board's leads add up to its groups, boards meet at their border, and from end to end it is the whole bank.
func TestLeadsFollowTheGroups(t *testing.T) {
	volts := make([]float64, 24)
	total := 0.0
	for i := range volts {
		volts[i] = 3.6 + 0.01*float64(i)
		total += volts[i]
	}
	for _, boards := range [][]int{{24}, {12, 12}, {8, 16}, {6, 6, 6, 6}} {
		out, err := standing.Leads(boards, volts)
		if err != nil || len(out) != len(boards) {
			t.Fatalf("%v: %v", boards, err)
		}
		sum := 0.0
		for b, leads := range out {
			top := leads[len(leads)-1]
			if len(leads) != boards[b]+1 || leads[0].ExpectedV != 0 ||
				b > 0 && leads[0].Node != out[b-1][boards[b-1]].Node {
				t.Errorf("%v, board %d: %+v", boards, b, leads)
			}
			for i := 1; i < len(leads); i++ {
				if d := leads[i].ExpectedV - leads[i-1].ExpectedV; math.Abs(d-volts[leads[i].Node-1]) > 0.0011 {
					t.Errorf("lead %d of board %d steps by %.3f V, its group has %.3f V", i, b, d,
						volts[leads[i].Node-1])
				}
			}
			sum += top.ExpectedV
		}
		if math.Abs(sum-total) > 0.01 || out[0][0].Point != "main negative" ||
			out[len(out)-1][boards[len(boards)-1]].Point != "main positive" {
			t.Errorf("%v: %.3f V in all, expected %.3f V", boards, sum, total)
		}
	}
	for _, bad := range []struct {
		boards []int
		volts  []float64
	}{{[]int{3}, []float64{3, 3}}, {nil, nil}, {[]int{0, 2}, []float64{3, 3}}, {[]int{-1, 3}, []float64{3, 3}},
		{[]int{1}, []float64{math.NaN()}}} {
		if _, err := standing.Leads(bad.boards, bad.volts); err == nil {
			t.Errorf("%v of %v is taken", bad.boards, bad.volts)
		}
	}
}

func ExampleLeads() {
	out, _ := standing.Leads([]int{2, 1}, []float64{3.3, 3.31, 3.29})
	for _, l := range append(out[0], out[1]...) {
		fmt.Printf("%d %s %.2f V\n", l.Input, l.Point, l.ExpectedV)
	}
	// Output:
	// 0 main negative 0.00 V
	// 1 between groups 1 and 2 3.30 V
	// 2 between groups 2 and 3 6.61 V
	// 0 between groups 2 and 3 0.00 V
	// 1 main positive 3.29 V
}
