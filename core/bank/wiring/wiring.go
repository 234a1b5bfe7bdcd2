package wiring

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// Limits of the wiring rules, handbook §9.
const (
	FuseReachMM       = 200.0 // the first overcurrent device of a path sits this near the cells
	ProspectiveFactor = 1.25
	rule              = "rules §9"
)

// inner marks the names of nodes inside a module, which no probe reaches.
const inner = "#"

// ProspectiveAmps is the fault current of a bank at fullVolts (V) from its DC resistance at 10 s
// (mΩ): 1.25 × V / R with the ohmic part taken as half (handbook §10). It is 0 where the resistance
// is not known, and rounded up to two digits.
func ProspectiveAmps(fullVolts, dcMOhm float64) float64 {
	if dcMOhm <= 0 {
		return 0
	}
	amps := ProspectiveFactor * fullVolts / (dcMOhm / 2) * 1000
	digits := math.Pow(10, math.Floor(math.Log10(amps))-1) // two digits: it is an estimate
	return math.Ceil(amps/digits) * digits
}

// Short is a loop with voltage in it. Conductor is the one to leave off, certain only when no
// other removal leaves a bank that fits its terminals and sense leads.
type Short struct {
	Conductor    string   `json:"conductor"`
	Certain      bool     `json:"certain"`
	Loop         []string `json:"loop"`
	EMFV         float64  `json:"emf_v"`
	ProspectiveA *float64 `json:"prospective_a"`
}

// GroupRef names a group of a module, from 1.
type GroupRef struct {
	Module string `json:"module"`
	Group  int    `json:"group"`
}

// SenseRow is one line of the sense table: volts against B−.
type SenseRow struct {
	BMS       string   `json:"bms"`
	Input     int      `json:"input"`
	Point     string   `json:"point"`
	ExpectedV *float64 `json:"expected_v"`
	Spare     bool     `json:"spare,omitempty"`
}

// BuildStep is one conductor to fit. Red to Black is measured first, with the probes on these
// points, and must read between LowV and HighV. ExposedV is the greatest voltage within reach
// afterwards.
type BuildStep struct {
	Conductor string       `json:"conductor"`
	Kind      netlist.Kind `json:"kind"`
	From      string       `json:"from"`
	To        string       `json:"to"`
	Measure   string       `json:"measure"`
	Red       string       `json:"red"`
	Black     string       `json:"black"`
	LowV      float64      `json:"low_v"`
	HighV     float64      `json:"high_v"`
	ExposedV  float64      `json:"exposed_v"`
	Parallels bool         `json:"parallels"`
	// Level is set where the step puts in parallel what is joined through open switches only: the two
	// ends float, so that the strings' totals are compared and not the gap.
	Level bool `json:"level_strings"`
}

// Path is a way from plus to minus that avoids something it must pass.
type Path struct {
	Avoids     string   `json:"avoids"`
	Conductors []string `json:"conductors"`
}

// Report is what the check says of a bank.
type Report struct {
	Nets       [][]string         `json:"nets"`
	Potentials map[string]float64 `json:"potentials"`
	// PotentialsOn are those with every switch, breaker, relay and BMS closed.
	PotentialsOn map[string]float64 `json:"potentials_on"`
	FullVolts    float64            `json:"full_v"`
	ProspectiveA *float64           `json:"prospective_a"` // at the terminals, null where a resistance is not known
	Series       int                `json:"series"`
	Parallel     int                `json:"parallel"`
	Shorts       []Short            `json:"shorts"`
	Unmonitored  []GroupRef         `json:"unmonitored"`
	Reversed     []string           `json:"reversed"`
	Disconnected []string           `json:"disconnected"`
	Unprotected  []Path             `json:"unprotected"`
	Bypasses     []Path             `json:"bypasses"`
	SenseTable   []SenseRow         `json:"sense_table"`
	BuildOrder   []BuildStep        `json:"build_order"`
	Findings     []finding.Finding  `json:"findings"`
}

// Check judges a netlist. It fails with an UnusableError for ids used twice, kinds and posts that
// do not exist, and values that are not numbers. Cost is about linear in points and conductors,
// times one more for each short.
func Check(n netlist.Netlist) (Report, error) {
	c := &checker{n: n}
	if err := c.index(); err != nil {
		return Report{}, err
	}
	c.r = Report{Nets: [][]string{}, Potentials: map[string]float64{}, PotentialsOn: map[string]float64{},
		Shorts: []Short{}, Unmonitored: []GroupRef{}, Reversed: []string{}, Disconnected: []string{},
		Unprotected: []Path{}, Bypasses: []Path{}, SenseTable: []SenseRow{}, BuildOrder: []BuildStep{},
		Findings: []finding.Finding{}}
	c.findShorts()
	c.nets()
	c.potentials()
	c.spare()
	c.layout()
	c.groups()
	c.parallels()
	c.reversed()
	c.monitoring()
	c.spans()
	c.protection()
	c.ratings()
	c.senseTable()
	c.buildOrder()
	c.r.Findings = finding.Sorted(c.r.Findings)
	return c.r, nil
}

// cell is one group between two points.
type cell struct {
	module, group int
	lo, hi        int
}

// tie joins two points without a voltage: a conductor, a BMS that is on, or earth.
type tie struct {
	name string
	kind netlist.Kind
	a, b int
	mOhm float64
	cond *netlist.Conductor // nil for a BMS and for earth
}

// Kinds of tie that are no conductors.
const (
	tieBMS   netlist.Kind = "BMS"
	tieEarth netlist.Kind = "earth"
)

// opens reports whether a tie can come open by itself or by hand.
func (t *tie) opens() bool {
	switch t.kind {
	case netlist.Fuse, netlist.Breaker, netlist.Switch, netlist.Contactor, tieBMS:
		return true
	}
	return false
}

func (t *tie) overcurrent() bool { return t.kind == netlist.Fuse || t.kind == netlist.Breaker }

// solid reports whether a tie holds two points together for good.
func (t *tie) solid() bool {
	switch t.kind {
	case netlist.Bar, netlist.Cable, netlist.Bond:
		return t.cond == nil || !t.cond.Open
	case tieEarth:
		return true
	}
	return false
}

// live reports whether a tie conducts as the bank stands now: BMS and open devices do not.
func (t *tie) live() bool { return t.kind == tieEarth || t.cond != nil && !t.cond.Open }

type checker struct {
	n      netlist.Netlist
	names  []string // of every point; nodes inside a module without a post have one with #
	point  map[string]int
	node   [][]int // [module][node] → point
	owner  []int   // module of a point, −1 for free names
	cells  []cell
	ties   []tie
	off    []bool          // ties taken out because they make a short
	forest *network.Levels // all ties but the shorts
	tops   []int           // for each BMS the highest input that belongs to a group; above it inputs are spare
	seen   []bool          // for each group, whether a pair of sense leads sees it
	limits map[int]float64
	posts  map[int]string
	r      Report
}

func (c *checker) find(l finding.Level, code, subject string, measured, limit *float64, unit, text, do string) {
	c.r.Findings = append(c.r.Findings, finding.Finding{Level: l, Code: code, Subject: subject, Measured: measured,
		Limit: limit, Unit: unit, Rule: rule, Text: text, Do: do})
}

func bad(format string, args ...any) error {
	return &netlist.UnusableError{Text: fmt.Sprintf(format, args...)}
}

// index numbers all points and checks the file's references.
func (c *checker) index() error {
	c.point = map[string]int{}
	if len(c.n.Modules) == 0 {
		return bad("no modules: expected at least one")
	}
	ids := map[string]bool{}
	for mi, m := range c.n.Modules {
		if ids[m.ID] {
			return bad("module %s is listed twice", m.ID)
		}
		ids[m.ID] = true
		if err := c.indexModule(mi, m); err != nil {
			return err
		}
	}
	conductors, err := c.indexConductors()
	if err != nil {
		return err
	}
	if err := c.indexBMS(conductors); err != nil {
		return err
	}
	if err := c.indexTerminals(); err != nil {
		return err
	}
	c.off = make([]bool, len(c.ties))
	return nil
}

func (c *checker) indexModule(mi int, m netlist.Module) error {
	if m.ID == "" || strings.ContainsAny(m.ID, "."+inner) {
		return bad("module %d: id %q: expected a name without a point or %s", mi+1, m.ID, inner)
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
	c.node = append(c.node, nodes)
	for post, k := range m.Posts {
		if k < 0 || k > len(m.Groups) {
			return bad("module %s: post %s sits on node %d: expected 0 to %d", m.ID, post, k, len(m.Groups))
		}
		c.point[m.ID+"."+post] = nodes[k]
		if c.names[nodes[k]] > m.ID+"."+post || strings.Contains(c.names[nodes[k]], inner) {
			c.names[nodes[k]] = m.ID + "." + post
		}
	}
	for gi, g := range m.Groups {
		if math.IsNaN(g.Volts) || math.Abs(g.Volts) > 10 || g.MOhm < 0 || math.IsNaN(g.MOhm) || g.Ah < 0 ||
			math.IsNaN(g.Ah) {
			return bad("module %s group %d: %v V, %v Ah, %v mΩ: expected a group's voltage, and 0 Ah and 0 mΩ "+
				"or more", m.ID, gi+1, g.Volts, g.Ah, g.MOhm)
		}
		c.cells = append(c.cells, cell{mi, gi, nodes[gi], nodes[gi+1]})
	}
	return nil
}

// indexConductors makes a tie of every conductor and returns their names.
func (c *checker) indexConductors() (map[string]bool, error) {
	cond := map[string]bool{}
	for i := range c.n.Conductors {
		k := &c.n.Conductors[i]
		switch {
		case k.ID == "":
			return nil, bad("conductor %d has no id", i+1)
		case cond[k.ID]:
			return nil, bad("conductor %s is listed twice", k.ID)
		case !slices.Contains(netlist.Kinds, k.Kind):
			return nil, bad("conductor %s: kind %q: expected one of %s", k.ID, k.Kind, netlist.KindList())
		case k.MOhm < 0 || math.IsNaN(k.MOhm):
			return nil, bad("conductor %s: %v mΩ: expected 0 or more", k.ID, k.MOhm)
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
		c.ties = append(c.ties, tie{k.ID, k.Kind, a, b, k.MOhm, netlist.BySection(k)})
	}
	return cond, nil
}

func (c *checker) indexBMS(cond map[string]bool) error {
	ids := map[string]bool{}
	for i := range c.n.BMS {
		b := &c.n.BMS[i]
		if ids[b.ID] {
			return bad("BMS %s is listed twice", b.ID)
		}
		ids[b.ID] = true
		for _, p := range []string{b.BMinus, b.PMinus} {
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
		if b.Kind != netlist.Contactor && b.BMinus != "" && b.PMinus != "" {
			c.ties = append(c.ties, tie{b.ID, tieBMS, c.point[b.BMinus], c.point[b.PMinus], 0, nil})
		}
	}
	return nil
}

func (c *checker) indexTerminals() error {
	for _, list := range [][]string{c.n.Terminals.Plus, c.n.Terminals.Minus, c.n.Terminals.Earth} {
		for _, p := range list {
			if _, err := c.resolve(p, "terminals"); err != nil {
				return err
			}
		}
	}
	for i := 1; i < len(c.n.Terminals.Earth); i++ {
		c.ties = append(c.ties, tie{"earth", tieEarth, c.point[c.n.Terminals.Earth[0]],
			c.point[c.n.Terminals.Earth[i]], 0, nil})
	}
	return nil
}

func (c *checker) add(name string, owner int) int {
	c.names = append(c.names, name)
	c.owner = append(c.owner, owner)
	c.point[name] = len(c.names) - 1
	return len(c.names) - 1
}

// resolve returns the point of a name: a module's post, or a free name, which is made on first
// use. A post that the module does not have is an error.
func (c *checker) resolve(name, where string) (int, error) {
	if name == "" {
		return 0, bad("%s: an end has no name: expected module.post or a free name", where)
	}
	if strings.Contains(name, inner) {
		return 0, bad("%s: the name %q: expected one without %s", where, name, inner)
	}
	if p, ok := c.point[name]; ok {
		return p, nil
	}
	if id, post, ok := strings.Cut(name, "."); ok {
		for _, m := range c.n.Modules {
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
