package wiring

import (
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// Limits of the wiring rules, rules §9.
const (
	FuseReachMM       = 200.0 // the first overcurrent device of a path sits this near the cells
	ProspectiveFactor = 1.25
	rule              = "rules §9"
)

// ProspectiveAmps is the fault current of a bank at fullVolts (V) from its DC resistance at 10 s
// (mΩ): 1.25 × V / R with the ohmic part taken as half (rules §10). It is 0 where the resistance
// is not known, and rounded up to two digits.
func ProspectiveAmps(fullVolts, dcMOhm float64) float64 {
	if dcMOhm <= 0 {
		return 0
	}
	return numeral.UpTwoDigits(ProspectiveFactor * fullVolts / (dcMOhm / 2) * 1000) // it is an estimate
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

// BuildStep is one conductor to fit. Red to Black is measured first, with the probes on these points, and must read
// between LowV and HighV. ExposedV is the greatest voltage within reach afterwards.
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
	// IntoService are stops on the way into service that do not keep the bank from being built.
	IntoService []finding.Finding `json:"into_service"`
	Findings    []finding.Finding `json:"findings"`
}

// CheckNetlist judges a netlist. It fails with an UnusableError for ids used twice, kinds and posts that do not exist,
// and values that are not numbers. Cost is about linear in points and conductors, times one more for each short.
func CheckNetlist(n netlist.Netlist) (Report, error) {
	x, err := netlist.Index(n)
	if err != nil {
		return Report{}, err
	}
	c := &checker{Indexed: x}
	c.r = Report{Nets: [][]string{}, Potentials: map[string]float64{}, PotentialsOn: map[string]float64{},
		Shorts: []Short{}, Unmonitored: []GroupRef{}, Reversed: []string{}, Disconnected: []string{},
		Unprotected: []Path{}, Bypasses: []Path{}, SenseTable: []SenseRow{}, BuildOrder: []BuildStep{},
		IntoService: []finding.Finding{}, Findings: []finding.Finding{}}
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
	c.r.IntoService = finding.Sorted(c.r.IntoService)
	c.r.Findings = finding.Sorted(c.r.Findings)
	return c.r, nil
}

type checker struct {
	*netlist.Indexed
	forest *network.Levels // all ties but the shorts
	tops   []int           // for each BMS the highest input that belongs to a group; above it inputs are spare
	seen   []bool          // for each group, whether a pair of sense leads sees it
	limits map[int]float64
	posts  map[int]string
	// shorted is the resistance with nothing counted beyond the modules, mΩ, 0 not worked out.
	shorted float64
	// beside are the groups of each string by its label, and mohms its resistance, siemens·1000 of them all together;
	// worked out when they are first asked for.
	beside  map[uint64][]int
	mohms   map[uint64]float64
	siemens float64
	metal   *network.Levels
	rows    map[uint64][]int // ties by their row
	touched []string         // what a probe reaches, sorted
	opens   [][]int          // the ties that each BMS opens
	r       Report
}

func (c *checker) find(f finding.Finding) {
	switch f.Code {
	case codeNoBMS, codeBMSCannotDisconnect, codeSwitchVolts, codeUnmonitored, codeSenseCount:
		f.Place = finding.PlaceBMS
	case limits.HighVoltage, codePrechargeByHand:
		f.Place = finding.PlaceGates
	}
	c.r.Findings = append(c.r.Findings, f.Or("", rule))
}
