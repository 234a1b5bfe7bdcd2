package match

import (
	"fmt"
	"slices"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// InSeries joins two results end to end: positions after positions, or each string's part after its part. The zero
// Result is the empty string. What is in series holds the least of its parts; a gap to the bound of one part is one of
// the whole only where that part decides.
func InSeries(a, b Result) Result {
	if len(a.PartsAh) == 0 {
		return b
	}
	out := Result{Style: a.Style, Positions: slices.Concat(a.Positions, b.Positions), CapacityAh: min(a.CapacityAh,
		b.CapacityAh), BoundAh: min(a.BoundAh, b.BoundAh), AsNumberedAh: min(a.AsNumberedAh, b.AsNumberedAh),
		LeftOver: slices.Concat(a.LeftOver, b.LeftOver), Findings: []finding.Finding{}}
	out.Findings = append(append(out.Findings, a.Findings...), b.Findings...)
	slices.Sort(out.LeftOver)
	if a.Style == ParallelFirst {
		out.PartsAh = slices.Concat(a.PartsAh, b.PartsAh)
	} else {
		out.CapacityAh, out.BoundAh = 0, 0
		for i := range a.Strings {
			out.Strings = append(out.Strings, slices.Concat(a.Strings[i], b.Strings[i]))
			out.PartsAh = append(out.PartsAh, min(a.PartsAh[i], b.PartsAh[i]))
			out.CapacityAh += out.PartsAh[i]
		}
		out.BoundAh = min(a.BoundAh, b.BoundAh)
	}
	out.ProvedBest = out.BoundAh-out.CapacityAh <= provedWithin*out.BoundAh
	return out
}

// InOrder fills the places with modules as they are listed, where nothing is known of what they hold: nothing is
// matched by that, and the result states no capacity. It fails for too few modules.
func InOrder(p Problem) (Result, error) {
	if p.Series < 1 || p.Parallel < 1 || len(p.Modules) < p.Series*p.Parallel {
		return Result{}, fmt.Errorf("%s for %d × %d places", numeral.Count(len(p.Modules), "module"), p.Series,
			p.Parallel)
	}
	r := Result{Style: p.Style, Findings: []finding.Finding{}}
	outer, inner := p.Series, p.Parallel
	if p.Style == StringsFirst {
		outer, inner = p.Parallel, p.Series
	}
	next := 0
	for range outer {
		var part []string
		for range inner {
			part = append(part, p.Modules[next].Name)
			next++
		}
		if p.Style == StringsFirst {
			r.Strings = append(r.Strings, part)
		} else {
			r.Positions = append(r.Positions, part)
		}
		r.PartsAh = append(r.PartsAh, 0)
	}
	for _, m := range p.Modules[next:] {
		r.LeftOver = append(r.LeftOver, m.Name)
	}
	return r, nil
}
