package floor

import (
	"slices"
	"strings"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/known"
)

// LeadMOhm is a joint that is well made, a bar or cable with its two ends, where nothing else is known of it, mΩ.
const LeadMOhm = 0.1

// Netlist writes the drawing down as package wiring judges it. The leads of a BMS are part of it: it sits where they
// land. Lengths that nobody typed come from the plan, but
// for those that rest on a size that is assumed. It fails for a module that is not on record.
func (d Drawing) Netlist(units Units) (netlist.Netlist, error) {
	n := netlist.Netlist{Terminals: netlist.Terminals{Plus: []string{}, Minus: []string{}}, JointsAssumed: true}
	for _, p := range d.Pieces {
		switch p.Kind {
		case Module:
			u, ok := units[p.ID]
			if !ok {
				return n, Errorf("", "module %s is not on record: take it off the drawing", p.ID)
			}
			n.Modules = append(n.Modules, u.Module)
		case Outlet, Load, Charger:
			if p.Supply {
				n.Terminals.Supply = append(n.Terminals.Supply, p.ID+"+", p.ID+"-")
				continue
			}
			if plus := p.ID + "+"; len(d.At(plus)) > 0 {
				n.Terminals.Plus = append(n.Terminals.Plus, plus)
			}
			if minus := p.ID + "-"; len(d.At(minus)) > 0 {
				n.Terminals.Minus = append(n.Terminals.Minus, minus)
			}
		case Earth:
			if len(d.At(p.ID)) > 0 {
				n.Terminals.Earth = append(n.Terminals.Earth, p.ID)
			}
		}
	}
	spots := d.AllSpots(units)
	leads := d.leads()
	for _, c := range d.Joints {
		if leads[c.ID] {
			continue
		}
		if c.MOhm == 0 {
			c.MOhm = LeadMOhm
		}
		if l := d.Length(c, spots, units); c.LengthMM == nil && l.Is() && l.From() != known.Assumed && long(c.Kind) {
			v := l.V()
			c.LengthMM = &v
		}
		n.Conductors = append(n.Conductors, c)
	}
	n.BMS = d.monitors(units, n)
	return n, nil
}

// long are the kinds whose length is that of the way between their ends.
func long(k netlist.Kind) bool { return k == netlist.Bar || k == netlist.Cable }

// soft reports whether a joint may be the lead of a BMS.
func soft(k netlist.Kind) bool { return k == netlist.Cable || k == netlist.Bar }

// Lands is where a pole of a BMS sits: at the far end of its one lead, else at the pole itself; "" where it hangs free.
func (d Drawing) Lands(pole string) (point, lead string) {
	at := d.At(pole)
	switch {
	case len(at) == 0:
		return "", ""
	case len(at) > 1 || !soft(at[0].Kind):
		return pole, ""
	case at[0].From == pole:
		return at[0].To, at[0].ID
	}
	return at[0].From, at[0].ID
}

// leads are the joints that are leads of a BMS.
func (d Drawing) leads() map[string]bool {
	out := map[string]bool{}
	for _, p := range d.Pieces {
		if p.Kind != BMS && p.Kind != Board {
			continue
		}
		for _, x := range p.poles() {
			if _, lead := d.Lands(p.ID + x.Pole); lead != "" {
				out[lead] = true
			}
		}
	}
	return out
}

// monitors are the BMS and boards of the drawing with the points that their leads reach: input 0 at B−, input k at the
// k-th node above it. A board ends where the next one of its string begins.
func (d Drawing) monitors(units Units, n netlist.Netlist) (out []netlist.BMS) {
	type seen struct {
		b     netlist.BMS
		climb []level
		fixed bool
	}
	var all []seen
	up := newClimber(units, n)
	for _, p := range d.Pieces {
		if p.Kind != BMS && p.Kind != Board {
			continue
		}
		b := netlist.BMS{ID: p.ID, Kind: p.Opens, SwitchV: p.OpensV, Sense: p.Sense}
		b.BMinus, _ = d.Lands(p.ID + ":B-")
		if p.Kind == BMS {
			b.PMinus, _ = d.Lands(p.ID + ":P-")
			if p.Charge {
				b.CMinus, _ = d.Lands(p.ID + chargePole)
			}
		}
		if p.Drives != "" && d.Joint(p.Drives) != nil {
			b.Switch, b.Kind = &p.Drives, netlist.Contactor
		}
		if p.Kind == Board && b.Switch == nil {
			b.Kind = netlist.Contactor
		}
		s := seen{b: b, fixed: len(p.Sense) > 0}
		if b.BMinus != "" && !s.fixed {
			s.climb = up.from(b.BMinus)
		}
		all = append(all, s)
	}
	for i := range all {
		s := &all[i]
		if !s.fixed {
			end := len(s.climb)
			for j := range all { // the next board of the same string
				if k := reaches(all[j].b.BMinus, s.climb); j != i && k > 0 {
					end = min(end, k+1)
				}
			}
			for k := range end {
				lead := s.climb[k].lead
				if k == end-1 && end < len(s.climb) { // at the next board: on this side of what may part the two
					lead = s.climb[k].under
				}
				s.b.Sense = append(s.b.Sense, lead)
			}
		}
		s.b.Groups = max(0, len(s.b.Sense)-1)
		out = append(out, s.b)
	}
	return out
}

func reaches(point string, climb []level) int {
	if point == "" {
		return 0
	}
	return slices.IndexFunc(climb, func(l level) bool { return l.points[point] })
}

// level is one node of a string on the way up: the points that lie on it, and the one that its sense lead takes.
type level struct {
	points map[string]bool
	lead   *string
	under  *string // of the modules below it alone
}

// Closed are the levels with every device on, without what makes a short.
func Closed(x *netlist.Indexed) *network.Levels {
	l := x.WithCells()
	for i, t := range x.Ties {
		if fresh, dc, _ := l.Join(t.A, t.B, 0, 0); !fresh && dc != 0 {
			x.Off[i] = true
		}
	}
	return l
}

// Point is where a point of the drawing lies in its netlist: the lead of a BMS is the point that it lands on.
func (d Drawing) Point(name string) string {
	if strings.Contains(name, ":") {
		if at, _ := d.Lands(name); at != "" {
			return at
		}
	}
	return name
}
