package network_test

import (
	"fmt"
	"testing"

	"pandrel/core/bank/network"
)

var reachNames = []string{"free", "a-", "a+", "b-", "b+"}

// twoStrings are two modules of 20 and 24 V that nothing joins yet, and a free name that lies at a's negative.
func twoStrings() *network.Reach {
	l := network.NewLevels(len(reachNames))
	l.Join(1, 2, 1, 20)
	l.Join(3, 4, 1, 24)
	l.Join(0, 1, 0, 0)
	return network.NewReach(l, network.Probes{
		Point: func(name string) int {
			for i, n := range reachNames {
				if n == name {
					return i
				}
			}
			return -1
		},
		Post: func(p int) bool { return p > 0 },
	}, reachNames, []int{1, 3})
}

func ExampleReach() {
	r := twoStrings()
	fmt.Println(r.Span(0))
	r.Conduct(2, 3) // a+ to b-: one string of both
	fmt.Println(r.Span(4))
	// Output:
	// a- a+
	// a- b+
}

func TestReachJoinsEitherWayRound(t *testing.T) {
	for _, c := range []struct {
		name      string
		p, q      int
		low, high string
	}{
		{"in series", 2, 3, "a-", "b+"},
		{"in series from the other side", 3, 2, "a-", "b+"},
		{"the other one below", 4, 1, "b-", "a+"},
		{"side by side at the negatives", 1, 3, "a-", "b+"},
		{"side by side at the positives", 2, 4, "b-", "a+"},
		{"to itself", 1, 0, "a-", "a+"},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := twoStrings()
			r.Conduct(c.p, c.q)
			if low, high := r.Span(c.p); low != c.low || high != c.high || !r.HasCells(c.p) {
				t.Errorf("%s to %s", low, high)
			}
		})
	}
}
