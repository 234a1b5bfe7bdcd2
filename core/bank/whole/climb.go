package whole

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
)

const (
	// leastClimb points make a climb: two groups of unlike charge are none.
	leastClimb = 3
	// A step of a climb is a group's voltage: between a dead one and a full one of any chemistry.
	leastStepVolts = 0.5
)

// Climbs reports whether volts are readings against the main negative and no voltages of groups: they climb from point
// to point by about a group each. unread are the places of points that were not read, from 1 at the first above the
// main negative.
func Climbs(volts []float64, unread []int) bool {
	most := chem.MostChargeVolts() + chem.OverToleranceVolts
	points := places(volts, unread)
	if len(points) < leastClimb || points[len(points)-1].volts <= most {
		return false
	}
	below := point{}
	for _, p := range points {
		if each := (p.volts - below.volts) / float64(p.at-below.at); each < leastStepVolts || each > most {
			return false
		}
		below = p
	}
	return true
}

// MayClimb reports whether volts can be readings against the main negative at all, dead and reversed groups among them:
// one of them is more than a single group can have.
func MayClimb(volts []float64) bool {
	return slices.Max(volts) > chem.MostChargeVolts()+chem.OverToleranceVolts
}

type point struct {
	at    int
	volts float64
}

// places are the points that were read, without the main negative itself where it stands first as zero.
func places(volts []float64, unread []int) (out []point) {
	at, skip := 0, map[int]bool{}
	for _, u := range unread {
		skip[u] = true
	}
	for i, v := range volts {
		if i == 0 && v == 0 && !skip[1] {
			continue
		}
		for at++; skip[at]; at++ {
		}
		out = append(out, point{at, v})
	}
	return out
}

// Differences are the voltages of the groups behind readings against the main negative, and the groups that cannot be
// told apart because a point between them was not read. A zero that stands first is the main negative itself.
func Differences(volts []float64, unread []int) (groups []float64, left []int) {
	below := point{}
	for _, p := range places(volts, unread) {
		if p.at-below.at == 1 {
			groups = append(groups, numeral.Round3(p.volts-below.volts))
		} else {
			for g := below.at + 1; g <= p.at; g++ {
				left = append(left, g)
			}
		}
		below = p
	}
	for _, u := range unread { // above the last that was read
		if u > below.at {
			left = append(left, u)
		}
	}
	return groups, left
}

// ClimbText says so of readings that climb, with the differences as they would be typed.
func ClimbText(volts []float64, unread []int) string {
	groups, left := Differences(volts, unread)
	gone := map[int]bool{}
	for _, g := range left {
		gone[g] = true
	}
	var list []string
	for g, k := 1, 0; g <= len(groups)+len(left); g++ {
		if gone[g] {
			list = append(list, "-")
			continue
		}
		list = append(list, numeral.Text(groups[k]))
		k++
	}
	return fmt.Sprintf("these climb to %s V: every point was read against the main negative, and they are no "+
		"voltages of "+
		"groups. Say so below, and the differences count: %s", numeral.Text(volts[len(volts)-1]), strings.Join(list,
		" "))
}
