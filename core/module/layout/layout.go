package layout

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/module/isolation"
)

// Limits of the mapping rules, rules §2.
const (
	loopToleranceVolts  = 0.020 // a loop is broken beyond max(this, loopSigmas σ)
	loopSigmas          = 5
	samePointVolts      = 0.008 // points closer than max(this, sameSigmas σ) are one node
	sameSigmas          = 4
	AgreeVolts          = 0.100 // groups of one module agree within this
	minAccuracyVolts    = 0.002
	readingAccuracyFrac = 0.001
	absurdVolts         = 1e6  // beyond this no meter reads: a damaged file
	tallestVolts        = 1500 // no module, and no pack, is higher
	maxPoints           = 500  // many times the taps of the longest monitor: more is another file
	maxReadings         = 5000
	rule                = "rules §2"
)

// Reading is one meter reading. AccuracyVolts is the meter's ± at this reading, 0 where unknown; LastDigit is the
// weight of the last digit shown, 0 for 1 mV. Line says where it came from, for messages.
type Reading struct {
	Red           string  `json:"Red"`
	Black         string  `json:"Black"`
	Volts         float64 `json:"Volts"`
	AccuracyVolts float64 `json:"AccuracyVolts"`
	LastDigit     float64 `json:"LastDigit"`
	Line          int     `json:"Line"`
}

// uncertainty is u of a reading in volts: as declared, else max(2 mV, 0.1 % + one last digit).
func (r Reading) uncertainty() float64 {
	if r.AccuracyVolts > 0 {
		return r.AccuracyVolts
	}
	digit := r.LastDigit
	if digit <= 0 {
		digit = 0.001
	}
	return max(minAccuracyVolts, readingAccuracyFrac*math.Abs(r.Volts)+digit)
}

// Roles a point may be declared to have.
const (
	RoleMainNegative = "main_negative"
	RoleMainPositive = "main_positive"
	RolePost         = "post"
	RolePin          = "pin"
)

// Role declares what a point is. Order is its place in the physical order from one end of the
// module to the other, 0 where it is not known.
type Role struct {
	Point string
	Role  string
	Order int
}

// Options are what is known besides the readings. PlateSeries and PlateVolts come from the label
// plate or the module type; zero means unknown.
//
// Points lists the points that the module has, where that is known: any other name in a reading is asked
// about and never becomes part of a layout.
type Options struct {
	Chemistry   chem.ID
	Roles       []Role
	Points      []string
	PlateSeries int
	PlateVolts  float64
	PostsJoined bool    // two posts may be at one potential: somebody has seen that they are joined inside
	MeterOhms   float64 // the meter's input resistance, for readings against the case; 0 for 10 MΩ
}

// Node is a set of points at one potential, in volts above the main negative.
type Node struct {
	Rank   int      `json:"rank"`
	Points []string `json:"points"`
	Volts  float64  `json:"volts"`
}

// Group is one cell group; group 1 is at the main negative. Tapped is false where the node on one of its sides cannot
// be reached, so that Volts is an equal share of a larger step and the unreachable side lists no points.
type Group struct {
	Index    int      `json:"index"`
	Negative []string `json:"negative"`
	Positive []string `json:"positive"`
	Volts    float64  `json:"volts"`
	Tapped   bool     `json:"tapped"`
}

// MissingTap is a step of several groups without a reachable point between them.
type MissingTap struct {
	AfterGroup int     `json:"after_group"`
	Groups     int     `json:"groups"`
	Volts      float64 `json:"volts"`
}

// Suspect is a reading left out of the fit, or one of several that may be wrong.
type Suspect struct {
	Line          int     `json:"line"`
	Red           string  `json:"red"`
	Black         string  `json:"black"`
	Volts         float64 `json:"volts"`
	Problem       string  `json:"problem"` // sign, decimal, outlier, or 'cannot tell'
	ExpectedVolts float64 `json:"expected_volts"`
}

// Next is the reading that adds most.
type Next struct {
	Red   string `json:"red"`
	Black string `json:"black"`
	Why   string `json:"why"`
}

// Map is what the readings say.
type Map struct {
	Series           int               `json:"series"`
	Chemistry        chem.ID           `json:"chemistry"`
	ChemistryCertain bool              `json:"chemistry_certain"`
	MainNegative     []string          `json:"main_negative"`
	MainPositive     []string          `json:"main_positive"`
	Nodes            []Node            `json:"nodes"`
	Groups           []Group           `json:"groups"`
	MissingTaps      []MissingTap      `json:"missing_taps"`
	Floating         []string          `json:"floating"`
	Unknown          []string          `json:"unknown_points"`
	Suspects         []Suspect         `json:"suspect_readings"`
	Separate         [][]string        `json:"separate"`
	NextReading      *Next             `json:"next_reading"`
	Candidates       []chem.ID         `json:"chemistry_candidates"`
	SeriesCandidates []int             `json:"series_candidates"`
	Isolation        isolation.Result  `json:"isolation"`
	Redundancy       int               `json:"redundancy"`
	Complete         bool              `json:"complete"`
	Findings         []finding.Finding `json:"findings"`
}

// UnusableError is an input that cannot be mapped. Line is the reading's line, 0 for the whole.
type UnusableError struct {
	Line int
	Text string
}

func (e *UnusableError) Error() string {
	if e.Line > 0 {
		return fmt.Sprintf("line %d: %s", e.Line, e.Text)
	}
	return e.Text
}

// Solve maps a module from its readings. It fails with an UnusableError for no readings, a reading of a point against
// itself, an empty point name, more points or readings than a module can have, a value that is not a number a meter
// shows, or a role that is not known; everything else is a judgement in Map.Findings.
//
// Cost is O(points + readings·loop length) for a clean file.
func Solve(readings []Reading, opt Options) (Map, error) {
	if len(readings) > maxReadings {
		return Map{}, &UnusableError{Text: fmt.Sprintf("%s: expected at most %d of one module",
			numeral.Count(len(readings), "reading"),
			maxReadings)}
	}
	g, caseReadings, err := newGraph(readings)
	if err != nil {
		return Map{}, err
	}
	if len(g.points) > maxPoints {
		return Map{}, &UnusableError{Text: fmt.Sprintf("%d different points: expected at most %d in one module. Are "+
			"the columns in order: red, black, volts?", len(g.points), maxPoints)}
	}
	if err := checkRoles(opt.Roles); err != nil {
		return Map{}, err
	}
	s := &solver{graph: g, opt: opt, roles: map[string]Role{}}
	for _, r := range opt.Roles {
		s.roles[CleanName(r.Point)] = r
	}
	s.m.Isolation.Verdict = "not measured"
	s.unknownPoints()
	s.dropFloating()
	s.dropAcross()
	s.dropWanderers()
	s.findBrokenLoops()
	parts := s.parts()
	s.choosePart(parts)
	s.fit()
	s.formNodes()
	s.orderNodes()
	s.explainSteps()
	s.checkEnds()
	s.unchecked()
	s.suggest()
	s.judgeCase(caseReadings)
	s.m.Redundancy = s.redundancy()
	s.m.Complete = len(s.open) == 0 && s.m.Series > 0
	s.m.fillEmpty()
	return s.m, nil
}

// unknownPoints asks about names that the module's type does not have, and about names that differ only in capitals.
func (s *solver) unknownPoints() {
	folded := map[string]string{}
	for _, p := range s.points {
		low := strings.ToLower(p)
		if other, ok := folded[low]; ok {
			s.open = append(s.open, "two names for one point")
			s.add(finding.New(finding.Stop, codeSimilarNames).About(p).
				Says("%s and %s differ only in capitals: are they one point?", other, p).
				Then("Write one name everywhere."))
			continue
		}
		folded[low] = p
	}
	if len(s.opt.Points) == 0 {
		return
	}
	for i, p := range s.points {
		if slices.ContainsFunc(s.opt.Points, func(x string) bool { return CleanName(x) == p }) {
			continue
		}
		line := 0
		if len(s.adj[i]) > 0 {
			line = s.edges[s.adj[i][0]].Line
		}
		s.open = append(s.open, "an unknown point")
		s.m.Unknown = append(s.m.Unknown, p)
		s.add(finding.New(finding.Stop, codeUnknownPoint).About(p).Reads(float64(line), "line").
			Says("The type has no point %s (line %d).", p, line).
			Then("%s", "Did you mean "+nearest(p, s.opt.Points)+
				"? Correct the name, or add the point to the type first."))
	}
}

// nearest is the known name that differs by the fewest letters.
func nearest(name string, known []string) string {
	best, least := known[0], math.MaxInt
	for _, k := range known {
		if d := letters(strings.ToLower(name), strings.ToLower(k)); d < least {
			best, least = k, d
		}
	}
	return best
}

// letters is the edit distance of two short names (Levenshtein 1966).
func letters(a, b string) int {
	x, y := []rune(a), []rune(b)
	row := make([]int, len(y)+1)
	for j := range row {
		row[j] = j
	}
	for i, r := range x {
		last := row[0]
		row[0] = i + 1
		for j, q := range y {
			cost := 1
			if r == q {
				cost = 0
			}
			last, row[j+1] = row[j+1], min(row[j+1]+1, row[j]+1, last+cost)
		}
	}
	return row[len(y)]
}

func checkRoles(roles []Role) error {
	for _, r := range roles {
		switch r.Role {
		case RoleMainNegative, RoleMainPositive, RolePost, RolePin, "":
		default:
			return &UnusableError{Text: fmt.Sprintf("role %q of point %s: expected main_negative, main_positive, "+
				"post or pin", r.Role, r.Point)}
		}
	}
	return nil
}

// fillEmpty replaces nil lists by empty ones, so that files always show [].
func (m *Map) fillEmpty() {
	ensure(&m.MainNegative)
	ensure(&m.MainPositive)
	ensure(&m.Nodes)
	ensure(&m.Groups)
	ensure(&m.MissingTaps)
	ensure(&m.Floating)
	ensure(&m.Unknown)
	ensure(&m.Suspects)
	ensure(&m.Separate)
	ensure(&m.Candidates)
	ensure(&m.SeriesCandidates)
	ensure(&m.Findings)
}

func ensure[T any](s *[]T) {
	if *s == nil {
		*s = []T{}
	}
}

// solver carries the state of one Solve. open lists why the map is not complete.
type solver struct {
	*graph
	opt       Options
	roles     map[string]Role
	m         Map
	part      []int // points of the part that is mapped
	phi       []float64
	nodes     [][]int // points of each node, lowest potential first
	closePair *[2]int
	doubtful  []int // doubled or dead
	separator *Next
	notRead   *Next // two points at one potential by sums alone
	postRead  *Next // a post inside the string that one way holds
	apart     bool  // parts that are joined by nothing: two strings in one case
	cap       float64
	open      []string
}

func (s *solver) add(f finding.Finding) { s.m.Findings = append(s.m.Findings, f.Or("", rule)) }

func (s *solver) pointNames(ps []int) []string {
	out := make([]string, len(ps))
	for i, p := range ps {
		out[i] = s.points[p]
	}
	slices.SortFunc(out, natural)
	return out
}

// natural orders names as people count: X9 before X10.
func natural(a, b string) int {
	split := func(s string) (string, int) {
		i := len(s)
		for i > 0 && s[i-1] >= '0' && s[i-1] <= '9' && len(s)-i < 9 {
			i--
		}
		n, _ := strconv.Atoi(s[i:])
		return s[:i], n
	}
	wa, na := split(a)
	wb, nb := split(b)
	return cmp.Or(strings.Compare(wa, wb), cmp.Compare(na, nb), strings.Compare(a, b))
}

// GroupsBelow returns, for each node, the number of groups between it and the main negative. It
// differs from the node's rank where taps are missing.
func (m Map) GroupsBelow() []int {
	out := make([]int, len(m.Nodes))
	for i := 1; i < len(out); i++ {
		step := 1
		for _, t := range m.MissingTaps {
			if t.AfterGroup == out[i-1] {
				step = t.Groups
			}
		}
		out[i] = out[i-1] + step
	}
	return out
}
