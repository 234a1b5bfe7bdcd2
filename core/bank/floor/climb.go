package floor

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"pandrel/core/bank/netlist"
)

// climber walks a string upwards from its negative.
type climber struct {
	units Units
	by    map[string][]netlist.Conductor // joints by their ends
	lists map[string][]string            // the points of each module by preference
	order map[string]int                 // of each module on the drawing
}

func newClimber(units Units, n netlist.Netlist) *climber {
	u := &climber{units: units, by: map[string][]netlist.Conductor{}, lists: map[string][]string{},
		order: map[string]int{}}
	for _, c := range n.Conductors {
		u.by[c.From] = append(u.by[c.From], c)
		u.by[c.To] = append(u.by[c.To], c)
	}
	for i, m := range n.Modules {
		u.order[m.ID] = i
		u.lists[m.ID] = units[m.ID].names()
	}
	return u
}

// twins are the points of a module on the node of one of them.
func (u *climber) twins(point string) []string {
	id, post, ok := strings.Cut(point, ".")
	if !ok || u.lists[id] == nil {
		return []string{point}
	}
	node, is := u.units[id].Module.Posts[post]
	if !is {
		return []string{point}
	}
	return u.on(id, node)
}

// names are the points of a module in the order in which a lead takes them: pins first, then posts, then what is left.
func (u Unit) names() (out []string) {
	out = append(slices.Clone(u.Taps), u.Front...)
	var rest []string
	for name := range u.Module.Posts {
		if !slices.Contains(out, name) {
			rest = append(rest, name)
		}
	}
	slices.Sort(rest)
	out = append(out, rest...)
	return slices.DeleteFunc(out, func(name string) bool { _, ok := u.Module.Posts[name]; return !ok })
}

// node gathers the points that metal joins to some; above the first level also what a device in the string joins.
func (u *climber) node(from []string, first bool) map[string]bool {
	out := map[string]bool{}
	queue := slices.Clone(from)
	for len(queue) > 0 {
		p := queue[0]
		queue = queue[1:]
		if out[p] {
			continue
		}
		out[p] = true
		queue = append(queue, u.twins(p)...)
		for _, c := range u.by[p] {
			if first && !(soft(c.Kind) || c.Kind == netlist.Bond || c.Kind == netlist.Shunt) {
				continue
			}
			if c.Kind == netlist.Precharge {
				continue
			}
			other := c.To
			if other == p {
				other = c.From
			}
			queue = append(queue, other)
		}
	}
	return out
}

// from lists the nodes from a point upwards, each with the point that its lead takes, nil where none can be reached.
func (u *climber) from(point string) (out []level) {
	at := u.node([]string{point}, true)
	crossed := map[group]bool{}
	out = append(out, level{points: at})
	var below []string // modules crossed on the way here
	for {
		over, tops := u.above(at, crossed)
		if len(over) == 0 {
			break
		}
		k := len(out) - 1
		out[k].lead, out[k].under = u.lead(at, append(slices.Clone(over), below...)), u.lead(at, below)
		at = u.node(tops, false)
		out = append(out, level{points: at})
		below = over
	}
	out[len(out)-1].lead = u.lead(at, below)
	return out
}

// group is one of a module, by how many lie below it.
type group struct {
	id    string
	below int
}

// above crosses each group that begins on a node: the modules, in the order of the drawing, and the points above.
func (u *climber) above(at map[string]bool, crossed map[group]bool) (over, tops []string) {
	var fresh []group
	for p := range at {
		id, node, ok := u.nodeOf(p)
		if !ok || node >= len(u.units[id].Groups) || crossed[group{id, node}] {
			continue
		}
		crossed[group{id, node}] = true
		fresh = append(fresh, group{id, node})
	}
	slices.SortFunc(fresh, func(a, b group) int {
		return cmp.Or(cmp.Compare(u.order[a.id], u.order[b.id]), cmp.Compare(a.below, b.below))
	})
	for _, g := range fresh {
		over = append(over, g.id)
		tops = append(tops, u.on(g.id, g.below+1)...)
	}
	return over, tops
}

// nodeOf is the module and the node that a point is on, also one that no probe reaches.
func (u *climber) nodeOf(p string) (id string, node int, ok bool) {
	if id, post, cut := strings.Cut(p, "."); cut && u.lists[id] != nil {
		node, ok = u.units[id].Module.Posts[post]
		return id, node, ok
	}
	if id, mark, cut := strings.Cut(p, "#"); cut {
		node, err := strconv.Atoi(mark)
		return id, node, err == nil
	}
	return "", 0, false
}

// on are the points of a module on a node; where none can be reached, a name for the node that no probe knows.
func (u *climber) on(id string, node int) (out []string) {
	for _, name := range u.lists[id] {
		if u.units[id].Module.Posts[name] == node {
			out = append(out, id+"."+name)
		}
	}
	if len(out) == 0 {
		out = []string{id + "#" + strconv.Itoa(node)}
	}
	return out
}

// lead is the point of a node that a sense lead takes: of the modules beside it, the first by preference.
func (u *climber) lead(at map[string]bool, beside []string) *string {
	for _, id := range beside {
		for _, name := range u.lists[id] {
			if p := id + "." + name; at[p] {
				return &p
			}
		}
	}
	return nil
}
