package netlist

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/network"
	"pandrel/core/base/chem"
)

// WithCells returns levels with the modules' own groups joined.
func (c *Indexed) WithCells() *network.Levels {
	l := network.NewLevels(len(c.Names))
	for _, x := range c.Cells {
		l.Join(x.Lo, x.Hi, 1, c.Net.Modules[x.Module].Groups[x.Group].Volts)
	}
	return l
}

// Graph returns adjacency over the cells and the ties for which keep is true, without those that make a short.
func (c *Indexed) Graph(keep func(i int) bool) [][]network.Edge {
	g := make([][]network.Edge, len(c.Names))
	for i, x := range c.Cells {
		g[x.Lo] = append(g[x.Lo], network.Edge{To: x.Hi, Tie: -1, Cell: i, Up: true})
		g[x.Hi] = append(g[x.Hi], network.Edge{To: x.Lo, Tie: -1, Cell: i, Up: false})
	}
	for i, t := range c.Ties {
		if !c.Off[i] && keep(i) {
			g[t.A] = append(g[t.A], network.Edge{To: t.B, Tie: i, Cell: -1, Up: false})
			g[t.B] = append(g[t.B], network.Edge{To: t.A, Tie: i, Cell: -1, Up: false})
		}
	}
	return g
}

// JoinTies joins the ends of every tie that makes no short and for which keep is true.
func (c *Indexed) JoinTies(l *network.Levels, keep func(*Tie) bool) {
	for i := range c.Ties {
		if t := &c.Ties[i]; !c.Off[i] && keep(t) {
			l.Join(t.A, t.B, 0, 0)
		}
	}
}

// Accessible lists the names a probe can touch, sorted: posts and free names, not the nodes inside a module.
func (c *Indexed) Accessible() []string {
	var names []string
	for name := range c.Point {
		if !strings.Contains(name, inner) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// Reach is the number of a point by its name, −1 for one that the netlist does not have.
func (c *Indexed) Reach(name string) int {
	if p, ok := c.Point[name]; ok {
		return p
	}
	return -1
}

// inner marks the names of nodes inside a module, which no probe reaches.
const inner = "#"

// Cell is one group between two points.
type Cell struct {
	Module, Group int
	Lo, Hi        int
}

// Tie joins two points without a voltage: a conductor, a BMS that is on, or earth.
type Tie struct {
	Name string
	Kind Kind
	A, B int
	MOhm float64
	Cond *Conductor // nil for a BMS and for earth
	BMS  int        // which BMS it is, −1 for none
}

// Kinds of tie that are no conductors.
const (
	BMSTie   Kind = "BMS"
	EarthTie Kind = "earth"
)

// Opens reports whether a tie can come open by itself or by hand.
func (t *Tie) Opens() bool {
	switch t.Kind {
	case Fuse, Breaker, Switch, Contactor, Plug, BMSTie:
		return true
	}
	return false
}

func (t *Tie) Overcurrent() bool { return t.Kind == Fuse || t.Kind == Breaker }

// Solid reports whether a tie holds two points together for good.
func (t *Tie) Solid() bool {
	switch t.Kind {
	case Bar, Cable, Bond:
		return t.Cond == nil || !t.Cond.Open
	case EarthTie:
		return true
	}
	return false
}

// Live reports whether a tie conducts as the bank stands now: BMS and open devices do not.
func (t *Tie) Live() bool { return t.Kind == EarthTie || t.Cond != nil && !t.Cond.Open }

// Indexed is a netlist with its points numbered: groups lie between points, ties join points without a voltage.
type Indexed struct {
	Net   Netlist
	Names []string // of every point; nodes inside a module without a post have one with #
	Point map[string]int
	Node  [][]int // [module][node] → point
	Owner []int   // module of a point, −1 for free names
	Cells []Cell
	Ties  []Tie
	Off   []bool // ties taken out because they make a short
}

// below reports whether a number is given that is less than least, or none at all.
func below(v *float64, least float64) bool { return v != nil && !(*v >= least && *v < 1e9) }

func bad(format string, args ...any) error {
	return &UnusableError{Text: fmt.Sprintf(format, args...)}
}

// Index numbers all points and checks the file's references.
func Index(n Netlist) (*Indexed, error) {
	c := &Indexed{Net: n, Point: map[string]int{}}
	if below(&n.DesignA, 0) || below(&n.JoinVolts, 0) {
		return nil, bad("design_a %v, join_v %v: expected 0 (not known) or more", n.DesignA, n.JoinVolts)
	}
	if len(c.Net.Modules) == 0 {
		return nil, bad("no modules: expected at least one")
	}
	ids := map[string]bool{}
	for mi, m := range c.Net.Modules {
		if ids[m.ID] {
			return nil, bad("module %s is listed twice", m.ID)
		}
		ids[m.ID] = true
		if err := c.indexModule(mi, m); err != nil {
			return nil, err
		}
	}
	conductors, err := c.indexConductors()
	if err != nil {
		return nil, err
	}
	if err := c.indexBMS(conductors); err != nil {
		return nil, err
	}
	if err := c.indexTerminals(); err != nil {
		return nil, err
	}
	c.Off = make([]bool, len(c.Ties))
	return c, nil
}

func (c *Indexed) indexModule(mi int, m Module) error {
	if m.ID == "" || strings.ContainsAny(m.ID, "."+inner) {
		return bad("module %d: id %q: expected a name without a point or %s", mi+1, m.ID, inner)
	}
	if below(&m.ChargeA, 0) || below(&m.DischargeA, 0) {
		return bad("module %s: charge_a %v, discharge_a %v: expected 0 (not known) or more", m.ID, m.ChargeA,
			m.DischargeA)
	}
	if len(m.Groups) == 0 {
		return bad("module %s has no groups", m.ID)
	}
	if _, err := chem.Parse(string(m.Chemistry)); err != nil {
		return bad("module %s: %v", m.ID, err)
	}
	nodes := make([]int, len(m.Groups)+1)
	for k := range nodes {
		nodes[k] = c.add(fmt.Sprintf("%s%s%d", m.ID, inner, k), mi)
	}
	c.Node = append(c.Node, nodes)
	for post, k := range m.Posts {
		if k < 0 || k > len(m.Groups) {
			return bad("module %s: post %s sits on node %d: expected 0 to %d", m.ID, post, k, len(m.Groups))
		}
		c.Point[m.ID+"."+post] = nodes[k]
		if c.Names[nodes[k]] > m.ID+"."+post || strings.Contains(c.Names[nodes[k]], inner) {
			c.Names[nodes[k]] = m.ID + "." + post
		}
	}
	for gi, g := range m.Groups {
		if math.IsNaN(g.Volts) || math.Abs(g.Volts) > 10 || g.MOhm < 0 || math.IsNaN(g.MOhm) || g.Ah < 0 ||
			math.IsNaN(g.Ah) {
			return bad("module %s group %d: %v V, %v Ah, %v mΩ: expected a group's voltage, and 0 Ah and 0 mΩ "+
				"or more", m.ID, gi+1, g.Volts, g.Ah, g.MOhm)
		}
		c.Cells = append(c.Cells, Cell{mi, gi, nodes[gi], nodes[gi+1]})
	}
	return nil
}

// indexConductors makes a tie of every conductor and returns their names.
func (c *Indexed) indexConductors() (map[string]bool, error) {
	cond := map[string]bool{}
	for i := range c.Net.Conductors {
		k := &c.Net.Conductors[i]
		switch {
		case k.ID == "":
			return nil, bad("conductor %d has no id", i+1)
		case cond[k.ID]:
			return nil, bad("conductor %s is listed twice", k.ID)
		case !slices.Contains(Kinds, k.Kind):
			return nil, bad("conductor %s: kind %q: expected one of %s", k.ID, k.Kind, KindList())
		case k.MOhm < 0 || math.IsNaN(k.MOhm):
			return nil, bad("conductor %s: %v mΩ: expected 0 or more", k.ID, k.MOhm)
		case below(k.LengthMM, 0) || below(k.RatingA, 0) || below(k.VoltageRatingV, 0) || below(k.InterruptA, 0):
			return nil, bad("conductor %s: a length or rating below 0, or no number: expected 0 or more, or nothing "+
				"where it is not known", k.ID)
		case k.AreaMM2 != nil && !(*k.AreaMM2 > 0 && *k.AreaMM2 < 1e5):
			return nil, bad("conductor %s: %v mm²: expected its section, above 0", k.ID, *k.AreaMM2)
		}
		cond[k.ID] = true
		a, err := c.resolve(k.From, "conductor "+k.ID)
		if err != nil {
			return nil, err
		}
		b, err := c.resolve(k.To, "conductor "+k.ID)
		if err != nil {
			return nil, err
		}
		c.Ties = append(c.Ties, Tie{k.ID, k.Kind, a, b, k.MOhm, BySection(k), -1})
	}
	return cond, nil
}

func (c *Indexed) indexBMS(cond map[string]bool) error {
	ids := map[string]bool{}
	for i := range c.Net.BMS {
		b := &c.Net.BMS[i]
		if ids[b.ID] {
			return bad("BMS %s is listed twice", b.ID)
		}
		ids[b.ID] = true
		if below(b.SwitchV, 0) || b.Groups < 0 {
			return bad("BMS %s: switch_v or groups below 0: expected 0 or more", b.ID)
		}
		for _, p := range []string{b.BMinus, b.PMinus, b.CMinus} {
			if p != "" {
				if _, err := c.resolve(p, "BMS "+b.ID); err != nil {
					return err
				}
			}
		}
		for _, p := range b.Sense {
			if p != nil {
				if _, err := c.resolve(*p, "BMS "+b.ID); err != nil {
					return err
				}
			}
		}
		if b.Switch != nil && !cond[*b.Switch] {
			return bad("BMS %s switches conductor %s, which is not listed", b.ID, *b.Switch)
		}
		if b.Kind != Contactor && b.BMinus != "" && b.PMinus != "" {
			c.Ties = append(c.Ties, Tie{b.ID, BMSTie, c.Point[b.BMinus], c.Point[b.PMinus], 0, nil, i})
			if b.CMinus != "" {
				c.Ties = append(c.Ties, Tie{b.ID, BMSTie, c.Point[b.BMinus], c.Point[b.CMinus], 0, nil, i})
			}
		}
	}
	return nil
}

func (c *Indexed) indexTerminals() error {
	for _, list := range [][]string{c.Net.Terminals.Plus, c.Net.Terminals.Minus, c.Net.Terminals.Earth,
		c.Net.Terminals.Supply} {
		for _, p := range list {
			if _, err := c.resolve(p, "terminals"); err != nil {
				return err
			}
		}
	}
	for i := 1; i < len(c.Net.Terminals.Earth); i++ {
		c.Ties = append(c.Ties, Tie{"earth", EarthTie, c.Point[c.Net.Terminals.Earth[0]],
			c.Point[c.Net.Terminals.Earth[i]], 0, nil, -1})
	}
	return nil
}

func (c *Indexed) add(name string, owner int) int {
	c.Names = append(c.Names, name)
	c.Owner = append(c.Owner, owner)
	c.Point[name] = len(c.Names) - 1
	return len(c.Names) - 1
}

// resolve returns the point of a name: a module's post, or a free name, which is made on first
// use. A post that the module does not have is an error.
func (c *Indexed) resolve(name, where string) (int, error) {
	if name == "" {
		return 0, bad("%s: an end has no name: expected module.post or a free name", where)
	}
	if strings.Contains(name, inner) {
		return 0, bad("%s: the name %q: expected one without %s", where, name, inner)
	}
	if p, ok := c.Point[name]; ok {
		return p, nil
	}
	if id, post, ok := strings.Cut(name, "."); ok {
		for _, m := range c.Net.Modules {
			if m.ID == id {
				var posts []string
				for p := range m.Posts {
					posts = append(posts, p)
				}
				slices.Sort(posts)
				return 0, bad("%s: module %s has no post %s: expected one of %s", where, id, post,
					strings.Join(posts, ", "))
			}
		}
	}
	return c.add(name, -1), nil
}
