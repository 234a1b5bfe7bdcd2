// Package ways is what hangs on a bank, as somebody reads it off: lines of fuses, breakers, plugs, wires, chargers and
// loads, each from where it branches off to its end. It says what goes round the switch, what is weaker than the device
// ahead of it, and what draws more than that device lets through (rules §9, §10).
//
// A way is a line: a name, where it begins, then its parts in order.
//
//	outlet 1: behind the switch; fuse 15 A; charger 16 A
//	meter: behind outlet 1; wire AWG 22; meter
package ways

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"

	"pandrel/core/bank/sizing"
	"pandrel/core/base/numeral"
)

// Where a way begins.
const (
	Cells  = "cells"  // at the cells, ahead of whatever opens the circuit
	Switch = "switch" // behind what the BMS opens
	Behind = "behind" // behind the devices of another way
	// "" is not said.
)

// Kind is what a part is.
type Kind string

// The kinds. What protects ends a fault; what carries must bear what that lets through; what draws or gives is at the
// end.
const (
	Fuse     Kind = "fuse"
	Breaker  Kind = "breaker"
	Plug     Kind = "plug"
	Outlet   Kind = "outlet"
	Hand     Kind = "switch"
	Relay    Kind = "relay"
	Wire     Kind = "wire"
	Charger  Kind = "charger"
	Load     Kind = "load"
	Inverter Kind = "inverter"
	Button   Kind = "button" // a resistor that is pressed to fill capacitors
	Meter    Kind = "meter"
)

// words are the names of parts as people write them.
var words = map[string]Kind{"fuse": Fuse, "breaker": Breaker, "breakers": Breaker, "plug": Plug, "connector": Plug,
	"outlet": Outlet, "socket": Outlet, "switch": Hand, "disconnect": Hand, "relay": Relay, "contactor": Relay,
	"wire": Wire, "cable": Wire, "lead": Wire, "charger": Charger, "load": Load, "inverter": Inverter, "button": Button,
	"resistor": Button, "meter": Meter, "display": Meter, "monitor": Meter}

// Part is one of a way, 0 for not known.
type Part struct {
	Kind  Kind
	Amps  float64
	Watts float64
	Ohms  float64
	MM2   float64
	Text  string // as it was written
}

// protects reports whether it opens when too much flows.
func (p Part) protects() bool { return p.Kind == Fuse || p.Kind == Breaker }

// ends reports whether current is drawn or given there.
func (p Part) ends() bool {
	return p.Kind == Charger || p.Kind == Load || p.Kind == Inverter || p.Kind == Outlet
}

// bears is what a part carries for ever, 0 for not known.
func (p Part) bears() float64 {
	if p.Kind == Wire && p.MM2 > 0 {
		return sizing.CableAmps(sizing.Copper, p.MM2, sizing.FreeAir, sizing.ColumnC, sizing.TableAmbientC)
	}
	return p.Amps
}

// Way is one line, from where it begins to its end.
type Way struct {
	Line  int // from 1
	Name  string
	At    string // Cells, Switch, Behind or ""
	Of    string // the way that it is behind
	Parts []Part
}

// figure is a number with its unit, with or without a blank between.
var figure = regexp.MustCompile(`(?i)([0-9][0-9.,]*)\s*(kA|mA|A|kW|W|ohms?|Ω|mm²|mm2)(?:\s|$|,)`)

var gauge = regexp.MustCompile(`(?i)(awg\s*[0-9/]+|[0-9/]+\s*awg)`)

// Read reads the lines that are not empty. It fails for the first that cannot be read, and says which.
func Read(text string) (out []Way, err error) {
	for i, line := range strings.Split(text, "\n") {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		w := Way{Line: i + 1, Name: "line " + strconv.Itoa(i+1)}
		if name, rest, ok := strings.Cut(line, ":"); ok {
			w.Name, line = strings.TrimSpace(name), rest
		}
		for _, piece := range strings.Split(line, ";") {
			if piece = strings.TrimSpace(piece); piece == "" {
				continue
			}
			if w.begins(piece) {
				continue
			}
			p, err := read(piece)
			if err != nil {
				return nil, fmt.Errorf("line %d: %w", i+1, err)
			}
			w.Parts = append(w.Parts, p)
		}
		if len(w.Parts) == 0 {
			return nil, fmt.Errorf("line %d: expected its parts in order, such as: fuse 15 A; plug 50 A; "+
				"charger 16 A", i+1)
		}
		if named(out, w.Name) != nil {
			return nil, fmt.Errorf("line %d: %q is the name of another line: expected each name once", i+1, w.Name)
		}
		out = append(out, w)
	}
	for i := range out {
		w := &out[i]
		for range out { // as many steps as there are lines: more go round
			if w.At != Behind {
				break
			}
			of := named(out, w.Of)
			if of == nil {
				return nil, fmt.Errorf("line %d: behind %q: expected the name of another line", w.Line, w.Of)
			}
			w = of
		}
		if w.At == Behind {
			return nil, fmt.Errorf("line %d is behind itself: expected a line that begins at the cells or behind the "+
				"switch", out[i].Line)
		}
	}
	return out, nil
}

func named(list []Way, name string) *Way {
	for i := range list {
		if strings.EqualFold(list[i].Name, name) {
			return &list[i]
		}
	}
	return nil
}

// begins reads where a way begins; false where a piece says something else.
func (w *Way) begins(piece string) bool {
	p := strings.ToLower(piece)
	switch {
	case strings.Contains(p, "at the cells") || strings.Contains(p, "at the bank") || p == "cells":
		w.At = Cells
	case strings.HasPrefix(p, "behind ") && strings.ContainsAny(p, "0123456789") && figure.MatchString(piece):
		return false
	case strings.HasPrefix(p, "behind "):
		w.Of = strings.TrimSpace(piece[len("behind "):])
		switch of := strings.TrimPrefix(strings.ToLower(w.Of), "the "); of {
		case "switch", "relay", "bms", "contactor":
			w.At, w.Of = Switch, ""
		default:
			w.At = Behind
		}
	default:
		return false
	}
	return true
}

func read(piece string) (p Part, err error) {
	p.Text = piece
	for _, word := range strings.FieldsFunc(strings.ToLower(piece), func(r rune) bool { return r == ' ' || r == ',' }) {
		if k, ok := words[word]; ok && p.Kind == "" {
			p.Kind = k
		}
	}
	if p.Kind == "" {
		return p, fmt.Errorf("%q: expected a fuse, breaker, plug, outlet, switch, relay, wire, charger, load, "+
			"inverter, button or meter", piece)
	}
	for _, m := range figure.FindAllStringSubmatch(piece+" ", -1) {
		n, err := numeral.Parse(strings.TrimRight(m[1], ".,"))
		if err != nil {
			return p, fmt.Errorf("%q: %w", piece, err)
		}
		switch v := n.Value; strings.ToLower(m[2]) {
		case "a":
			p.Amps = v
		case "ma":
			p.Amps = v / 1000
		case "w":
			p.Watts = v
		case "kw":
			p.Watts = v * 1000
		case "mm²", "mm2":
			p.MM2 = v
		case "ohm", "ohms", "ω":
			p.Ohms = v
		}
	}
	if g := gauge.FindString(piece); g != "" {
		n, err := numeral.ParseIn(strings.TrimSpace(g), "mm²")
		if err != nil {
			return p, fmt.Errorf("%q: %w", piece, err)
		}
		p.MM2 = n.Value
	}
	return p, nil
}
