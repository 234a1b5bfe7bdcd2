package standing

import (
	"fmt"
	"math"

	"pandrel/core/base/numeral"
)

// Lead is a sense lead of a BMS on a bank of groups in series: its input, the node that it goes to, and what it must
// read against the first lead of its board. Node 0 is the main negative, node k lies between groups k and k+1.
type Lead struct {
	Input     int
	Node      int
	Point     string
	ExpectedV float64
}

// Leads are the sense leads of each board along a bank, from the main negative up: boards are the groups of each, volts
// those of the groups as they were surveyed. Neighbouring boards share the node between them, each with a lead of its
// own. It fails where the boards have other groups than were read, and for a voltage that is no number.
func Leads(boards []int, volts []float64) (out [][]Lead, err error) {
	sum := 0
	for _, n := range boards {
		if n < 1 {
			return nil, fmt.Errorf("a board of %s: expected at least 1", numeral.Count(n, "group"))
		}
		sum += n
	}
	if sum != len(volts) || sum == 0 {
		return nil, fmt.Errorf("boards of %s, and %s: expected one for each group", numeral.Count(sum, "group"),
			numeral.Count(len(volts), "voltage"))
	}
	point := func(node int) string {
		switch node {
		case 0:
			return "main negative"
		case sum:
			return "main positive"
		}
		return fmt.Sprintf("between groups %d and %d", node, node+1)
	}
	at := 0
	for _, n := range boards {
		leads := []Lead{{Input: 0, Node: at, Point: point(at)}}
		v := 0.0
		for i := 1; i <= n; i++ {
			u := volts[at+i-1]
			if math.IsNaN(u) || math.IsInf(u, 0) {
				return nil, fmt.Errorf("group %d: %v V is no voltage", at+i, u)
			}
			v += u
			leads = append(leads, Lead{i, at + i, point(at + i), numeral.Round3(v)})
		}
		at += n
		out = append(out, leads)
	}
	return out, nil
}
