// Package plan is a bank between its need and its first bar: which modules stand where, how they are joined,
// and what follows from that for wiring, monitor, fuses and the order of the build.
//
// A design is a choice among the candidates of package window, filled with modules by package match. This
// package writes it down as a netlist, has package wiring check it, and hands package build what its steps
// need. It measures nothing itself: places carry the newest surveyed voltages, and whoever calls brings them.
package plan

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/match"
	"pandrel/core/bank/mount"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/known"
	"pandrel/core/module/capacity"
	"pandrel/core/module/layout"
)

// Need is what a client wants. FrostAsked says that somebody was asked whether it can freeze there; until then
// FreezesHere is no answer.
type Need struct {
	window.Need
	FreezesHere bool    `json:"FreezesHere"`
	FrostAsked  bool    `json:"FrostAsked"`
	Beside      *Beside `json:"Beside,omitempty"` // the standing bank that it becomes a second string of, nil for none
}

// Beside is a standing bank that a new string is joined to: its groups, its volts end to end when it was surveyed last,
// its capacity; 0 where not known.
type Beside struct {
	ID     int64   `json:"ID"`
	Name   string  `json:"Name"`
	Series int     `json:"Series"`
	Volts  float64 `json:"Volts"`
	Ah     float64 `json:"Ah"`
}

// MayFreeze reports whether frost must be reckoned with: it was said, or nobody asked.
func (n Need) MayFreeze() bool { return n.FreezesHere || !n.FrostAsked }

// DeviceOpen reports whether voltages of the device still stand for what nobody has read from its data sheet. A second
// string has the device of the bank it joins.
func (n Need) DeviceOpen() bool {
	return n.Beside == nil && (n.AbsMaxVolts <= 0 || n.CutoffVolts <= 0 || n.Filled() != n.Need)
}

// Type is what a design needs to know of its module type. Posts and Pins are points by the order in which they
// are preferred; ModuleKg is 0 where not known, Curve nil for the chemistry's typical one.
type Type struct {
	ID       int64
	Name     string
	Posts    []string
	Pins     []string
	ModuleKg float64
	// Closed says that it is a pack with a BMS of its own inside, whose switch bears SwitchVolts, 0 not known.
	Closed      bool
	SwitchVolts float64
	Limits      window.Limits
	Curve       *chem.Curve
	Mount       mount.Mount
}

// Place is where a module stands in a design. Position counts the series order of the bank (of its
// string, strings first), Mate those in parallel; both from 0. Volts are of the newest survey.
type Place struct {
	ModuleID   int64          `json:"ModuleID"`
	Number     string         `json:"Number"`
	Position   int            `json:"Position"`
	Mate       int            `json:"Mate"`
	Volts      []float64      `json:"Volts"`
	EndsV      float64        `json:"-"` // from end to end, where that alone was read; 0 for not read
	CapacityAh float64        `json:"CapacityAh"`
	LowAh      float64        `json:"LowAh"` // the interval of CapacityAh where it was not measured, 0 where it was
	HighAh     float64        `json:"HighAh,omitempty"`
	Basis      capacity.Basis `json:"Basis,omitempty"` // what CapacityAh rests on
	MOhm       float64        `json:"MOhm"`
	TypeID     int64          `json:"TypeID,omitempty"` // of a bank of several types, 0 for the design's
	Type       *Type          `json:"-"`                // its own, nil for the design's
	Layout     *layout.Map    `json:"-"`                // its own, nil for its type's
	Dead       []string       `json:"-"`                // points of its connector that reach nothing
}

// TotalVolts is the module's voltage from post to post.
func (p Place) TotalVolts() float64 {
	sum := 0.0
	for _, v := range p.Volts {
		sum += v
	}
	return sum
}

// Now is the voltage from post to post as it was surveyed last, not known where it never was.
func (p Place) Now() known.Value {
	if len(p.Volts) == 0 {
		return known.Value{}
	}
	return known.Of(p.TotalVolts(), known.Measured)
}

// Resistance is that of the module, mΩ, not known where it was never measured.
func (p Place) Resistance() known.Value { return known.Recorded(p.MOhm, known.Measured) }

// Design is a bank as designed: enough to draw, wire and build it. DriftAhDay is the fastest fall of a group
// against its siblings as surveyed last, 0 where none is known.
type Design struct {
	TypeID     int64            `json:"TypeID"`
	Candidate  window.Candidate `json:"Candidate"`
	Style      match.Style      `json:"Style"`
	Match      match.Result     `json:"Match"`
	Places     []Place          `json:"Places"`
	DesignedBy string           `json:"DesignedBy"`
	DesignedAt string           `json:"DesignedAt"`

	DriftAhDay float64 `json:"-"`
	TestedAh   float64 `json:"-"` // what the bank gave when it was tested whole as it is, 0 for not tested
}

// Strings is how many strings have ends of their own.
func (d Design) Strings() int {
	if d.Style == match.StringsFirst {
		return d.Candidate.Parallel
	}
	return 1
}

// StringsApart reports whether the design has several strings that meet only at their ends.
func (d Design) StringsApart() bool { return d.Strings() > 1 }

// PlaceName says where a module stands, counted from 1.
func (d Design) PlaceName(p Place) string {
	switch {
	case d.StringsApart():
		return fmt.Sprintf("string %c, place %d", 'a'+p.Mate, p.Position+1)
	case d.Candidate.Parallel > 1:
		return fmt.Sprintf("position %d, parallel place %d", p.Position+1, p.Mate+1)
	}
	return fmt.Sprintf("position %d", p.Position+1)
}

// GroupNames says of each group of the bank, from the main negative up, which group of which modules it is. Strings
// that meet only at their ends have groups of their own: each is named with its mates.
func (d Design) GroupNames() (out []string) {
	d.groups(func(g int, mates []string) {
		out = append(out, fmt.Sprintf("group %d of %s", g, strings.Join(mates, " and ")))
	})
	return out
}

// GroupModules names the modules that share each group of the bank, from the main negative up.
func (d Design) GroupModules() (out [][]string) {
	d.groups(func(_ int, mates []string) { out = append(out, mates) })
	return out
}

// groups goes through the groups of the bank: which of its modules each is, and who they are.
func (d Design) groups(do func(group int, mates []string)) {
	n := max(1, d.Candidate.ModulesInString)
	for p := range n {
		groups := d.Candidate.Series / n
		if p < len(d.Candidate.Groups) {
			groups = d.Candidate.Groups[p]
		}
		var mates []string
		for _, x := range d.Places {
			if x.Position == p {
				mates = append(mates, x.Number)
			}
		}
		for g := range groups {
			do(g+1, mates)
		}
	}
}

// Matched fills a candidate with what the matching found. The candidate was predicted from a bound of its
// capacity; its energies follow the capacity that was reached.
func Matched(typeID int64, c window.Candidate, style match.Style, r match.Result) Design {
	d := Design{TypeID: typeID, Candidate: c, Style: style, Match: r}
	d.rescale(r.CapacityAh)
	return d
}

// rescale sets the capacity, and the energies with it: at the same voltages they are proportional.
func (d *Design) rescale(ah float64) {
	if d.Candidate.CapacityAh <= 0 { // nothing was known of it before
		d.Candidate.Rate(ah, nil)
		return
	}
	scale := ah / d.Candidate.CapacityAh
	d.Candidate.CapacityAh = ah
	d.Candidate.UsableKWh *= scale
	d.Candidate.TotalKWh *= scale
}

// Tested sets what the bank gave when it was tested whole, wh 0 where nobody counted it: that counts before all that
// its modules promise.
func (d *Design) Tested(ah, wh float64) {
	if ah > 0 {
		d.TestedAh = ah
		d.rescale(ah)
		if c := &d.Candidate; wh > 0 && c.TotalKWh > 0 {
			c.UsableKWh, c.TotalKWh = c.UsableKWh*wh/1000/c.TotalKWh, wh/1000
		}
	}
}

// OfModules is the design as its modules promise, whatever it gave when it was tested whole.
func (d Design) OfModules() Design {
	d.TestedAh = 0
	return d
}

// Recount works out the capacity anew from its places, and the energies with it.
func (d *Design) Recount() {
	if ah := d.BankAh(); len(d.Unrated()) == 0 {
		d.rescale(ah)
	}
	for i, part := range d.Match.Positions {
		d.Match.PartsAh[i] = 0
		for _, number := range part {
			if k := d.At(number); k >= 0 {
				d.Match.PartsAh[i] += d.Places[k].CapacityAh
			}
		}
	}
	for i, part := range d.Match.Strings {
		d.Match.PartsAh[i] = math.Inf(1)
		for _, number := range part {
			if k := d.At(number); k >= 0 {
				d.Match.PartsAh[i] = min(d.Match.PartsAh[i], d.Places[k].CapacityAh)
			}
		}
	}
	d.Match.CapacityAh = d.Candidate.CapacityAh
	d.Match.AsNumberedAh = d.asNumbered()
}

// asNumbered is what its modules would give as they are numbered, by what is known of them now; of several types, whose
// order is not free, what they give.
func (d Design) asNumbered() float64 {
	c := d.Candidate
	if len(d.Unrated()) > 0 {
		return 0
	}
	p := match.Problem{Series: c.ModulesInString, Parallel: c.Parallel, Style: d.Style}
	if len(c.Types) > 0 || len(d.Places) != p.Series*p.Parallel {
		return d.Match.CapacityAh
	}
	for _, x := range d.Places {
		p.Modules = append(p.Modules, match.Module{Name: x.Number, CapacityAh: x.CapacityAh})
	}
	slices.SortFunc(p.Modules, func(a, b match.Module) int { return strings.Compare(a.Name, b.Name) })
	return match.AsNumbered(p)
}

// Numbers lists the matched modules in the order of their places: the number, and where it stands.
func (d Design) Numbers() []Place {
	parts := d.Match.Positions
	if d.Style == match.StringsFirst {
		parts = d.Match.Strings
	}
	var out []Place
	for i, part := range parts {
		for k, number := range part {
			p := Place{Number: number, Position: i, Mate: k}
			if d.Style == match.StringsFirst {
				p.Position, p.Mate = k, i
			}
			out = append(out, p)
		}
	}
	return out
}

// At is the index of the place of a module, −1 for none.
func (d Design) At(number string) int {
	return slices.IndexFunc(d.Places, func(p Place) bool { return strings.EqualFold(p.Number, number) })
}

// BankAh is the capacity of the design as it is.
func (d Design) BankAh() float64 { return d.BankAhWith(-1, 0) }

// BankAhWith is the capacity of the design with the module at one place replaced by another capacity; −1 for none.
func (d Design) BankAhWith(at int, ah float64) float64 {
	caps := make([]window.Part, len(d.Places))
	for i, p := range d.Places {
		caps[i] = window.Part{Position: p.Position, Mate: p.Mate, CapacityAh: p.CapacityAh}
		if i == at {
			caps[i].CapacityAh = ah
		}
	}
	return window.CapacityOf(caps, d.Style == match.StringsFirst)
}

// Replace puts a module in the place of another, and works out what the bank has with it.
func (d *Design) Replace(at int, in Place) {
	old := d.Places[at]
	in.Position, in.Mate = old.Position, old.Mate
	d.Places[at] = in
	for _, parts := range [][][]string{d.Match.Positions, d.Match.Strings} {
		for _, part := range parts {
			for i := range part {
				if strings.EqualFold(part[i], old.Number) {
					part[i] = in.Number
				}
			}
		}
	}
	d.rescale(d.BankAh())
}

// Replacement is a module of the stock that could take another's place in a bank.
type Replacement struct {
	Number     string
	CapacityAh float64
	BankAh     float64 // what the bank has with it
	ChangeAh   float64 // against what it has now
	DiffersV   float64 // its voltage against the one that goes
}

// Spare is a module of the stock with its voltage from post to post.
type Spare struct {
	Number     string
	CapacityAh float64
	Volts      float64
}

// maxReplacements is how many are listed, sameAh when two give a bank the same.
const (
	maxReplacements = 3
	sameAh          = 0.05
)

// Replacements lists what in the stock fits best in the place at: those that give the bank most, then those
// nearest in voltage.
func (d Design) Replacements(at int, stock []Spare) []Replacement {
	now := d.BankAh()
	var out []Replacement
	for _, m := range stock {
		ah := d.BankAhWith(at, m.CapacityAh)
		out = append(out, Replacement{m.Number, m.CapacityAh, ah, ah - now, m.Volts - d.Places[at].TotalVolts()})
	}
	slices.SortStableFunc(out, func(a, b Replacement) int {
		if d := b.BankAh - a.BankAh; math.Abs(d) > sameAh {
			return int(math.Copysign(1, d))
		}
		return int(math.Copysign(1, math.Abs(a.DiffersV)-math.Abs(b.DiffersV)))
	})
	return out[:min(len(out), maxReplacements)]
}

// OtherStyle is the capacity in Ah that the same modules would give joined the other way.
func (d Design) OtherStyle() (float64, error) {
	// of two types in a string the other way is another bank; of what nobody knows, no number
	if len(d.Candidate.Types) > 0 || len(d.Unrated()) > 0 {
		return 0, nil
	}
	p := match.Problem{Series: d.Candidate.ModulesInString, Parallel: d.Candidate.Parallel, Style: match.StringsFirst}
	if d.Style == match.StringsFirst {
		p.Style = match.ParallelFirst
	}
	for _, pl := range d.Places {
		p.Modules = append(p.Modules, match.Module{Name: pl.Number, CapacityAh: pl.CapacityAh, ResistanceMOhm: pl.MOhm})
	}
	r, err := match.Solve(p)
	return r.CapacityAh, err
}
