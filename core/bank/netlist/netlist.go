package netlist

import (
	"strings"

	"pandrel/core/base/chem"
)

// Group is one cell group of a module: volts now, capacity in Ah, ohmic resistance in mΩ.
type Group struct {
	Volts float64 `json:"volts"`
	Ah    float64 `json:"ah"`
	MOhm  float64 `json:"mohm"`
}

// Module is groups in series between nodes 0 (below group 1) and len(Groups). Posts gives the node
// of each accessible post or tap. ChargeA and DischargeA are what the module takes and gives for ever,
// 0 for the typical C rates of its capacity. Curve is the rest curve of its type, nil for the typical one.
type Module struct {
	ID         string         `json:"id"`
	Chemistry  chem.ID        `json:"chemistry"`
	Groups     []Group        `json:"groups"`
	Posts      map[string]int `json:"posts"`
	ChargeA    float64        `json:"charge_a,omitempty"`
	DischargeA float64        `json:"discharge_a,omitempty"`
	Curve      *chem.Curve    `json:"-"`
}

// Kind says what a conductor is, and how a BMS switches.
type Kind string

// Kinds of BMS beside Contactor: one with transistors in its own path between B− and P−, and one of which it is said
// that it opens its own path by itself, transistors or relay not known. Of any other kind nothing is known.
const (
	Transistor Kind = "transistor"
	Opens      Kind = "opens"
)

// Kinds of conductor.
const (
	Bar       Kind = "bar"
	Cable     Kind = "cable"
	Bond      Kind = "bond"
	Fuse      Kind = "fuse"
	Breaker   Kind = "breaker"
	Switch    Kind = "switch"
	Contactor Kind = "contactor"
	Shunt     Kind = "shunt"
	Precharge Kind = "precharge"
	Plug      Kind = "plug" // a connector of two poles or one, parted by hand
)

var Kinds = []Kind{Bar, Cable, Bond, Fuse, Breaker, Switch, Contactor, Shunt, Precharge, Plug}

// Conductor joins two points. Open devices do not join nets now but are judged as if they could
// close. Installed false means not fitted yet; nil means fitted.
type Conductor struct {
	ID             string   `json:"id"`
	Kind           Kind     `json:"kind"`
	From           string   `json:"from"`
	To             string   `json:"to"`
	MOhm           float64  `json:"mohm"`
	RatingA        *float64 `json:"rating_a"`
	VoltageRatingV *float64 `json:"voltage_rating_v"`
	InterruptA     *float64 `json:"interrupt_a"`
	LengthMM       *float64 `json:"length_mm"`
	AreaMM2        *float64 `json:"area_mm2"` // of copper; gives the rating where none is given
	Open           bool     `json:"open"`
	Installed      *bool    `json:"installed"`
}

// BMS monitors groups between adjacent sense inputs; a nil sense lead is not fitted. A transistor
// BMS switches between BMinus and PMinus; a contactor BMS names the conductor it switches. SwitchV is what its switch
// opens, nil where not known. Inputs above the top of its groups are spare: tied to the top, or left open.
type BMS struct {
	ID      string    `json:"id"`
	Kind    Kind      `json:"kind"`
	Groups  int       `json:"groups"`
	BMinus  string    `json:"b_minus"`
	PMinus  string    `json:"p_minus"`
	CMinus  string    `json:"c_minus,omitempty"` // a pole of its own for chargers, "" for none
	Switch  *string   `json:"switch"`
	SwitchV *float64  `json:"switch_v,omitempty"`
	Sense   []*string `json:"sense"`
}

// OwnPath reports whether a BMS switches between B− and P− by itself.
func (b BMS) OwnPath() bool {
	return (b.Kind == Transistor || b.Kind == Opens) && b.BMinus != "" && b.PMinus != ""
}

// Terminals are where loads and chargers attach, and what is joined to earth. Supply are the points of what feeds a
// monitor alone: it may hang ahead of the switch of that monitor, behind a fuse of its own.
type Terminals struct {
	Plus   []string `json:"plus"`
	Minus  []string `json:"minus"`
	Earth  []string `json:"earth"`
	Supply []string `json:"supply,omitempty"`
}

// Netlist is a bank.
type Netlist struct {
	Modules       []Module    `json:"modules"`
	Conductors    []Conductor `json:"conductors"`
	BMS           []BMS       `json:"bms"`
	Terminals     Terminals   `json:"terminals"`
	DesignA       float64     `json:"design_a,omitempty"` // 1.25 × the larger of load and charge, 0 not known
	JointsAssumed bool        `json:"-"`                  // nobody measured the joints: none may help a fuse
	JoinVolts     float64     `json:"join_v,omitempty"`   // at which parts are joined in parallel, 0 the usual 50 mV
}

// UnusableError says what in a netlist cannot be read.
type UnusableError struct{ Text string }

// KindList names the kinds of conductor for somebody who wrote another.
func KindList() string {
	names := make([]string, len(Kinds))
	for i, k := range Kinds {
		names[i] = string(k)
	}
	return strings.Join(names, ", ")
}

func (e *UnusableError) Error() string { return e.Text }
