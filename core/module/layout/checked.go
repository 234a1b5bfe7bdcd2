package layout

import (
	"strings"

	"pandrel/core/base/finding"
)

const (
	codePostInside = "post-inside"
	codeNotRead    = "not-read-directly"
)

// checked numbers the points so that two of one number are joined by two ways that share no reading: a minus forgotten
// on any one of them would break a loop. It takes the bridges out (Tarjan 1974), with a stack of its own.
func (g *graph) checked() []int {
	n := len(g.points)
	seen, low := make([]int, n), make([]int, n)
	bridge := make([]bool, len(g.edges))
	type frame struct{ p, by, next int }
	count := 0
	for start := range n {
		if seen[start] > 0 {
			continue
		}
		count++
		seen[start], low[start] = count, count
		stack := []frame{{start, -1, 0}}
		for len(stack) > 0 {
			f := &stack[len(stack)-1]
			if f.next == len(g.adj[f.p]) {
				stack = stack[:len(stack)-1]
				if len(stack) > 0 {
					up := stack[len(stack)-1].p
					low[up] = min(low[up], low[f.p])
					bridge[f.by] = low[f.p] > seen[up]
				}
				continue
			}
			k := g.adj[f.p][f.next]
			f.next++
			if g.edges[k].off || k == f.by {
				continue
			}
			if q := g.edges[k].other(f.p); seen[q] > 0 {
				low[f.p] = min(low[f.p], seen[q])
			} else {
				count++
				seen[q], low[q] = count, count
				stack = append(stack, frame{q, k, 0})
			}
		}
	}
	return g.without(bridge)
}

// without numbers the points by the parts that are left when some readings are taken out.
func (g *graph) without(out []bool) []int {
	part := make([]int, len(g.points))
	for start := range g.points {
		if part[start] > 0 {
			continue
		}
		part[start] = start + 1
		for queue := []int{start}; len(queue) > 0; queue = queue[1:] {
			for _, k := range g.adj[queue[0]] {
				if q := g.edges[k].other(queue[0]); !g.edges[k].off && !out[k] && part[q] == 0 {
					part[q] = start + 1
					queue = append(queue, q)
				}
			}
		}
	}
	return part
}

// unchecked asks for the one reading that would show a forgotten minus: it folds the string back on itself, so that
// points come to lie at one potential that were never read against each other, and posts inside of it.
func (s *solver) unchecked() {
	if len(s.nodes) < 2 {
		return
	}
	loop := s.checked()
	for _, ps := range s.nodes {
		for i, p := range ps {
			for _, q := range ps[:i] {
				if loop[p] != loop[q] && s.notRead == nil && !s.direct(p, q) && !s.sameProbe(p, q) {
					s.notRead = &Next{s.points[q], s.points[p], "they come out at one potential and were never read " +
						"against each other: a minus that was forgotten looks like that"}
					s.open = append(s.open, "one potential by sums alone")
					s.add(finding.New(finding.Caution, codeNotRead).About(s.points[q]+" and "+
						s.points[p]).Reads(0, "V").
						Says("%s and %s come out at one potential, and nobody read "+
							"them against each other.", s.points[q], s.points[p]).
						Then("Read these two directly. " +
							"Where they are apart, one of the readings between them lost its sign."))
				}
			}
		}
	}
	s.postsInside(loop)
}

// postsInside names declared posts that lie between the ends of the string.
func (s *solver) postsInside(loop []int) {
	bottom, top := s.nodes[0][0], s.nodes[len(s.nodes)-1][0]
	for i := 1; i < len(s.nodes)-1; i++ {
		for _, p := range s.nodes[i] {
			role := s.roles[s.points[p]].Role
			if role != RolePost && role != RoleMainNegative && role != RoleMainPositive {
				continue
			}
			volts := finding.Of(round(s.phi[p]))
			if loop[p] == loop[bottom] || loop[p] == loop[top] || s.direct(p, bottom) && s.direct(p, top) {
				if role == RolePost {
					s.add(finding.New(finding.Note, codePostInside).About(s.points[p]).ReadsIf(volts, "V").
						Says("The post %s lies inside the string, at %.2f V: a middle post.", s.points[p], *volts).
						Then("Mark it. Nothing that takes current is fitted to it."))
				}
				continue
			}
			level := finding.Caution
			if role != RolePost {
				level = finding.Stop
			}
			end := s.points[bottom]
			if s.direct(p, bottom) {
				end = s.points[top]
			}
			if s.postRead == nil {
				s.postRead = &Next{s.points[p], end, "a post inside the string that no second way holds: a middle " +
					"post, or a minus that was forgotten"}
			}
			s.open = append(s.open, "a post inside the string")
			s.add(finding.New(level, codePostInside).About(s.points[p]).ReadsIf(volts, "V").
				Says("%s is declared a %s "+
					"and comes out inside the string, at %.2f V, by one way of readings alone: a middle post, or a "+
					"reading that lost its sign or its point.", s.points[p], strings.ReplaceAll(role, "_", " "),
					*volts).
				Then("%s", "Read it directly against "+end+"."))
		}
	}
}

// direct reports whether two points were read against each other.
func (s *solver) direct(p, q int) bool {
	for _, k := range s.adj[p] {
		if !s.edges[k].off && s.edges[k].other(p) == q {
			return true
		}
	}
	return false
}

// sameProbe reports whether two points were read against one main post, with one probe on it: then both have the sign
// of the string.
func (s *solver) sameProbe(p, q int) bool {
	for _, k := range s.adj[p] {
		e := &s.edges[k]
		m := e.other(p)
		if role := s.roles[s.points[m]].Role; e.off || role != RoleMainNegative && role != RoleMainPositive {
			continue
		}
		if s.direct(m, q) {
			return true
		}
	}
	return false
}
