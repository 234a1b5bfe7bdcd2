// Package declare makes a layout from what somebody sees and says, without mapping: a single cell, a block with its
// taps in plain sight, so many in series with a tap connector in order. One or two readings confirm it, or say that it
// is not so (rules §2, 9 and 10).
package declare

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/module/layout"
)

const rule = "rules §2"

// Declared is what somebody says. Posts and Pins are in their order from the main negative up; names joined by = are at
// one potential. Where Posts is empty names are given by Series.
type Declared struct {
	Series    int
	Chemistry chem.ID // "" where not declared: then no reading can confirm it
	Posts     []string
	Pins      []string
}

// Shape is how the posts and pins lie on the groups, in words.
func (d Declared) Shape() string {
	out := map[int]string{2: "two posts at the ends", 3: "two posts and a middle one"}[len(d.Posts)]
	if len(d.Posts) == d.Series+1 && d.Series > 2 {
		out = "a post at every joint"
	}
	if len(d.Pins) > 0 {
		out += ", taps in order"
	}
	return fmt.Sprintf("%d in series, %s", d.Series, out)
}

// Named gives posts their usual names where none were given: two ends, and a middle one where three are said.
func (d Declared) Named(posts int) Declared {
	if len(d.Posts) > 0 {
		return d
	}
	switch {
	case posts <= 2:
		d.Posts = []string{"A-", "A+"}
	case posts == 3:
		d.Posts = []string{"A-", "M", "A+"}
	default:
		d.Posts = []string{"A-"}
		for k := 1; k < posts-1; k++ {
			d.Posts = append(d.Posts, fmt.Sprintf("T%d", k))
		}
		d.Posts = append(d.Posts, "A+")
	}
	return d
}

// Layout makes the map. It fails, saying what was expected, where the posts and pins cannot lie on so many groups in
// one way alone.
func Layout(d Declared) (layout.Map, error) {
	if d.Series < 1 || d.Series > 400 {
		return layout.Map{}, fmt.Errorf("%s: expected 1 to 400 in series", numeral.Count(d.Series, "group"))
	}
	d = d.Named(2)
	nodes := make([]layout.Node, d.Series+1)
	seen := map[string]bool{}
	put := func(names string, at int) error {
		for _, n := range strings.Split(names, "=") {
			n = layout.CleanName(n)
			if n == "" || seen[n] {
				return fmt.Errorf("%q: expected each point once", names)
			}
			seen[n] = true
			nodes[at].Points = append(nodes[at].Points, n)
		}
		return nil
	}
	posts, err := onNodes(len(d.Posts), d.Series, true)
	if err != nil {
		return layout.Map{}, err
	}
	pins, left := beside(posts, len(d.Pins), d.Series)
	if !left {
		if pins, err = onNodes(len(d.Pins), d.Series, false); err != nil {
			return layout.Map{}, err
		}
	}
	for i, p := range d.Posts {
		if err := put(p, posts[i]); err != nil {
			return layout.Map{}, err
		}
	}
	for i, p := range d.Pins {
		if err := put(p, pins[i]); err != nil {
			return layout.Map{}, err
		}
	}
	first, last := d.Posts[0], d.Posts[len(d.Posts)-1]
	if strings.HasSuffix(first, "+") || strings.HasSuffix(last, "-") || strings.HasSuffix(last, "−") {
		return layout.Map{}, fmt.Errorf("%s … %s: expected the main negative first and the main positive last", first,
			last)
	}
	return build(d, nodes), nil
}

// beside are the nodes that no post lies on, where so many pins are there for just those: ends and middle are posts,
// and pins reach the rest.
func beside(posts []int, pins, series int) (out []int, ok bool) {
	if len(posts) < 3 || pins != series+1-len(posts) {
		return nil, false
	}
	for k := range series + 1 {
		if !slices.Contains(posts, k) {
			out = append(out, k)
		}
	}
	return out, true
}

// onNodes says on which node each of n points lies, 0 at the main negative: by the patterns that leave no doubt.
func onNodes(n, series int, posts bool) ([]int, error) {
	out := make([]int, n)
	switch {
	case n == 0:
	case n == series+1:
		for i := range out {
			out[i] = i
		}
	case n == 2 && posts:
		out[1] = series
	case n == 3 && posts && series%2 == 0:
		out[1], out[2] = series/2, series
	case n == series-1 && !posts:
		for i := range out {
			out[i] = i + 1
		}
	case n == series+2 && !posts && series%2 == 0: // two connectors, each with its half: the tap between is on both
		for i := range out {
			out[i] = i
			if i > series/2 {
				out[i] = i - 1
			}
		}
	case n == series+3 && !posts: // both end pins doubled
		for i := range out {
			out[i] = min(max(0, i-1), series)
		}
	default:
		return nil, noPattern(n, series, posts)
	}
	return out, nil
}

// noPattern says which counts of points leave no doubt.
func noPattern(n, series int, posts bool) error {
	if posts {
		return fmt.Errorf("%d posts on %s: expected two at the ends, a middle one on an even count, or "+
			"one at every joint (%d). Otherwise map it", n, numeral.Count(series, "group"), series+1)
	}
	return fmt.Errorf("%d connector points on %s: expected %d (every tap), %d (those between), %d "+
		"(two connectors, each with its half) or %d (both ends doubled), in order. Otherwise map it", n,
		numeral.Count(series, "group"), series+1, series-1, series+2, series+3)
}

// build writes the map of nodes that can be reached, with nominal volts.
func build(d Declared, nodes []layout.Node) layout.Map {
	each := 0.0
	if c, err := chem.Lookup(d.Chemistry); err == nil {
		each = c.NominalVolts
	}
	m := layout.Map{Series: d.Series, Chemistry: d.Chemistry, ChemistryCertain: d.Chemistry != "", Complete: true,
		MissingTaps: []layout.MissingTap{}, Floating: []string{}, Unknown: []string{}, Suspects: []layout.Suspect{},
		Separate: [][]string{}, Candidates: []chem.ID{}, SeriesCandidates: []int{}}
	at := 0
	for k := range nodes {
		if len(nodes[k].Points) == 0 {
			continue
		}
		if gap := k - at; gap > 1 {
			m.MissingTaps = append(m.MissingTaps, layout.MissingTap{AfterGroup: at, Groups: gap,
				Volts: each * float64(gap)})
		}
		at = k
		m.Nodes = append(m.Nodes, layout.Node{Rank: len(m.Nodes), Points: nodes[k].Points, Volts: each * float64(k)})
	}
	for g := range d.Series {
		lower, upper := nodes[g].Points, nodes[g+1].Points
		m.Groups = append(m.Groups, layout.Group{Index: g + 1, Negative: append([]string{}, lower...),
			Positive: append([]string{}, upper...), Volts: each, Tapped: len(lower) > 0 && len(upper) > 0})
	}
	m.MainNegative, m.MainPositive = nodes[0].Points, nodes[d.Series].Points
	m.Findings = []finding.Finding{finding.New(finding.Note, codeDeclared).About("layout").By(rule).
		Says("Declared and not mapped: %s.", d.Shape()).Then("The first survey of each module confirms it.")}
	if n := len(m.MissingTaps); n > 0 {
		t := m.MissingTaps[0]
		m.Findings = append(m.Findings, finding.New(finding.Caution, codeMissingTap).About(fmt.Sprintf("after group %d",
			t.AfterGroup)).Reads(float64(t.Groups), "groups").Against(1).By(rule).
			Says("%s after group %d have no point between them.", numeral.Count(t.Groups, "group"), t.AfterGroup).
			Then("Find or fit taps: groups without one cannot be monitored."))
	}
	return m
}

// tolerance above a limit and below another before a reading speaks against a layout, volts for each group.
const tolerance = 0.02

// Confirm judges readings against a declared layout: volts between the ends, and between the main negative and the
// middle post where there is one; nil where it was not read. A reading that the layout makes impossible is a stop.
func Confirm(m layout.Map, total, middle *float64) []finding.Finding {
	kinds := chem.All()
	c, err := chem.Lookup(m.Chemistry)
	if err == nil {
		kinds = []chem.Chemistry{c}
	}
	var out []finding.Finding
	judge := func(what string, volts *float64, groups int) {
		if volts == nil {
			return
		}
		n := float64(groups)
		var names []string
		low, high := math.Inf(1), 0.0
		for _, k := range kinds {
			from, to := n*(k.NeverRechargeVolts-tolerance), n*(k.ChargeLimitVolts+tolerance)
			if low, high = min(low, from), max(high, to); from <= *volts && *volts <= to {
				names = append(names, k.Name)
			}
		}
		f := finding.New(finding.Note, codeConfirmed).About(what).ReadsIf(volts, "V").Against(high).By(rule).
			Says("%s: %.3f V, %.3f V for each of %s.", what, *volts, *volts/n, numeral.Count(groups, "group")).
			Then("Go on.")
		if err != nil && len(names) > 0 {
			f = f.Says("%s: %.3f V, %.3f V for each of %s: %s by its volts.", what, *volts, *volts/n,
				numeral.Count(groups, "group"),
				strings.Join(names, " or "))
		}
		switch {
		case *volts < 0:
			f.Level, f.Code, f.Text = finding.Stop, "declared-reversed", fmt.Sprintf("%s: %.3f V, the wrong way round.",
				what, *volts)
			f.Do = "Red on the upper point: if it is so again, plus and minus are not where they were said to be."
		case err != nil && len(names) == 0:
			f.Level, f.Code = finding.Stop, "declared-not-so"
			f.Text = fmt.Sprintf("%s: %.3f V cannot be %s of any chemistry, %.1f to %.1f V.", what, *volts,
				numeral.Count(groups, "group"),
				low, high)
			f.Do = "Read it again. If it is so, count the groups again, or map it."
		case *volts < low || *volts > high:
			f.Level, f.Code = finding.Stop, "declared-not-so"
			f.Text = fmt.Sprintf("%s: %.3f V cannot be %s of %s, %.1f to %.1f V.", what, *volts, numeral.Count(groups,
				"group"), c.Name,
				n*c.NeverRechargeVolts, n*c.ChargeLimitVolts)
			if fits := counts(*volts, c); len(fits) > 0 {
				f.Text += fmt.Sprintf(" It could be %s.", strings.Join(fits, " or "))
			}
			f.Do = "Read it again. If it is so, count the groups again, or map it."
		}
		out = append(out, f)
	}
	judge("End to end", total, m.Series)
	if below := m.GroupsBelow(); len(m.Nodes) == 3 {
		judge("Minus to the middle post", middle, below[1])
	}
	return out
}

// counts lists the series counts that a voltage could be, at rest and neither empty nor over.
func counts(volts float64, c chem.Chemistry) (out []string) {
	for n := max(1,
		int(math.Ceil(volts/(c.ChargeLimitVolts+tolerance)))); n <= int(volts/c.FloorVolts) && len(out) < 4; n++ {
		out = append(out, fmt.Sprint(n))
	}
	return out
}

// Posts are the names of the posts, one by one.
func (d Declared) PostNames() []string { return names(d.Posts) }

// PinNames are those of the pins.
func (d Declared) PinNames() []string { return names(d.Pins) }

func names(list []string) (out []string) {
	for _, n := range list {
		for _, p := range strings.Split(n, "=") {
			if p = layout.CleanName(p); p != "" && !slices.Contains(out, p) {
				out = append(out, p)
			}
		}
	}
	return out
}
