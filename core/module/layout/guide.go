package layout

import (
	"math"
	"slices"

	"pandrel/core/module/isolation"
)

// Guide says which two points to touch next, so that a module is mapped in as few readings as
// points − 1 and the ones that close loops. points lists all of them in the order in which they
// lie, main negative first where it is known; skip lists those that cannot be reached.
//
// It walks along the points: each new one is read against the last that is known to carry a potential, which keeps
// readings small and so exact. A point that reads zero is not stood on, in case it is dead. When every point has a
// reading, the map's own next reading follows: separate parts, doubtful points, then a closing loop. done is true once
// the map is complete, one loop is closed, and nothing more is asked for. Cost is that of one Solve.
func Guide(points []string, readings []Reading, skip []string, opt Options) (next Next, done bool) {
	return GuideFrom(points, readings, skip, opt, nil)
}

// GuideFrom is Guide for readings that were mapped already: m is their map, nil where they were not. It is not mapped
// again unless some of the readings are left aside.
func GuideFrom(points []string, readings []Reading, skip []string, opt Options, m *Map) (next Next, done bool) {
	reach := slices.DeleteFunc(slices.Clone(points), func(p string) bool { return slices.Contains(skip, p) })
	if len(reach) < 2 {
		return Next{}, true
	}
	all := len(readings)
	readings = slices.DeleteFunc(slices.Clone(readings), func(r Reading) bool {
		return r.Red == isolation.CasePoint || r.Black == isolation.CasePoint || slices.Contains(skip, r.Red) ||
			slices.Contains(skip, r.Black)
	})
	read := map[string]bool{}
	for _, r := range readings {
		read[r.Red], read[r.Black] = true, true
	}
	if len(readings) == 0 {
		last := len(reach) - 1
		for i, p := range reach {
			if r := roleOf(opt.Roles, p); r == RoleMainPositive {
				last = i
			}
		}
		return Next{reach[last], reach[0], "the outer posts first: a minus sign only says that they are the other " +
			"way round"}, false
	}
	for i, p := range reach {
		if read[p] {
			continue
		}
		return Next{p, standOn(reach, i, readings), "the next point along, against the last one that is known"}, false
	}
	if m == nil || len(readings) < all {
		solved, err := Solve(readings, opt)
		if err != nil {
			return Next{reach[len(reach)-1], reach[0], "the readings so far cannot be used"}, false
		}
		m = &solved
	}
	if n := m.NextReading; n != nil && (!m.Complete || m.Redundancy == 0) {
		return *n, false
	}
	return Next{}, m.Complete && m.Redundancy > 0 || m.NextReading == nil
}

func roleOf(roles []Role, point string) string {
	for _, r := range roles {
		if r.Point == point {
			return r.Role
		}
	}
	return ""
}

// standOn picks the point to hold the black probe on: the nearest before i that has a reading well
// away from zero, else any such point.
func standOn(reach []string, i int, readings []Reading) string {
	live := func(p string) bool {
		return slices.ContainsFunc(readings, func(r Reading) bool {
			return (r.Red == p || r.Black == p) && math.Abs(r.Volts) > loopToleranceVolts
		})
	}
	for k := i - 1; k >= 0; k-- {
		if live(reach[k]) {
			return reach[k]
		}
	}
	for _, p := range reach {
		if live(p) && p != reach[i] {
			return p
		}
	}
	return reach[0]
}
