package standing

import (
	"fmt"
	"strings"

	"pandrel/core/bank/floor"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/known"
	"pandrel/core/module/face"
)

// Points of a bank that is drawn as it stands: where loads attach, and the bars that several strings share.
const (
	outPlus, outMinus = "OUT+", "OUT-"
	busPlus, busMinus = "BUSP", "BUSN"
	ownBMS            = "B1"
)

// Drawn is a bank that somebody else built as a drawing to begin with: its blocks as pieces, the joints between them as
// they must be, and its BMS where it has one. Switches, fuses and what hangs on it are for whoever stands before it to
// add. total is what it reads end to end, 0 for not read, and volts those of each group of its one string, none where
// not every group was read. why says what is missing, "" for nothing.
func Drawn(b Bank, c Cells, total float64, volts []float64) (d floor.Drawing, units floor.Units, why string) {
	l := LayoutOf(b, c, total, volts)
	each := l.groupVolts(b, c, total, volts)
	switch {
	case c.Series == 0:
		return d, nil, "Nobody counted its groups: which points lie between them is not known."
	case l.Groups[0] == 0:
		return d, nil, fmt.Sprintf("%d groups do not share out evenly over %d blocks in each string.", c.Series,
			l.Blocks)
	case each == nil:
		return d, nil, "It was never read, and its chemistry is not declared: no volts can stand at its posts."
	}
	n := netlist.Netlist{Terminals: netlist.Terminals{Plus: []string{outPlus}, Minus: []string{outMinus}}}
	units = floor.Units{}
	var chains [][][]string
	for s := range l.Strings {
		var chain [][]string
		at := 0
		for k, groups := range l.Groups {
			u := block(l.id(k, s), c, l.Strings, each[at:at+groups])
			u.Nobody = len(volts) != c.Series || l.Strings > 1
			at += groups
			units[u.ID] = u
			n.Modules = append(n.Modules, u.Module)
			chain = append(chain, []string{u.ID})
			if k > 0 {
				n.Conductors = append(n.Conductors, netlist.Conductor{ID: l.Link(k-1, s), Kind: netlist.Bar,
					From: l.id(k-1, s) + ".P+", To: l.id(k, s) + ".P-"})
			}
		}
		chains = append(chains, chain)
	}
	l.ends(&n, c)
	return floor.FromNetlist(n, units, chains), units, ""
}

// id is the name of a block on a drawing.
func (l Layout) id(block, str int) string { return strings.ReplaceAll(l.Label(block, str), " ", "-") }

// ends joins the ends of the strings to where loads attach, behind the BMS where there is one.
func (l Layout) ends(n *netlist.Netlist, c Cells) {
	low, high := l.id(0, 0)+".P-", l.id(l.Blocks-1, 0)+".P+"
	if l.Strings > 1 {
		for s := range l.Strings {
			n.Conductors = append(n.Conductors,
				netlist.Conductor{ID: "C" + letter(s) + "-", Kind: netlist.Cable, From: l.id(0, s) + ".P-",
					To: busMinus},
				netlist.Conductor{ID: "C" + letter(s) + "+", Kind: netlist.Cable, From: l.id(l.Blocks-1, s) + ".P+",
					To: busPlus})
		}
		low, high = busMinus, busPlus
	}
	n.Conductors = append(n.Conductors, netlist.Conductor{ID: "C+", Kind: netlist.Cable, From: high, To: outPlus})
	bms := netlist.BMS{ID: ownBMS, BMinus: low, Groups: c.Series}
	if c.BMS != "" && c.Opens == OpensYes {
		bms.PMinus, bms.Kind = outMinus, netlist.Opens
	} else {
		n.Conductors = append(n.Conductors, netlist.Conductor{ID: "C-", Kind: netlist.Cable, From: low, To: outMinus})
	}
	if c.BMS != "" {
		n.BMS = append(n.BMS, bms)
	}
}

// groupVolts are the volts of each group of a string: as they were read, else even shares of what was read end to end,
// else nominal; nil where none of these is known.
func (l Layout) groupVolts(b Bank, c Cells, total float64, volts []float64) []float64 {
	if c.Series == 0 {
		return nil
	}
	if len(volts) == c.Series && l.Strings == 1 {
		return volts
	}
	if total <= 0 {
		if total, _ = c.Volts(0); total <= 1 {
			total = b.NominalVolts
		}
	}
	if total <= 1 {
		return nil
	}
	out := make([]float64, c.Series)
	for i := range out {
		out[i] = total / float64(c.Series)
	}
	return out
}

// block is a part of a string as a piece: two posts and a tap at each joint between.
func block(id string, c Cells, stringsOf int, volts []float64) floor.Unit {
	ah := c.Ah / float64(stringsOf)
	u := floor.Unit{Module: netlist.Module{ID: id, Chemistry: c.Chemistry, Posts: map[string]int{"P-": 0}},
		Front: []string{"P-", "P+"}, Ah: known.Recorded(ah, known.Typed)}
	for i, v := range volts {
		u.Groups = append(u.Groups, netlist.Group{Volts: v, Ah: ah})
		if i > 0 {
			tap := fmt.Sprintf("T%d", i)
			u.Posts[tap] = i
			u.Taps = append(u.Taps, tap)
		}
	}
	u.Posts["P+"] = len(volts)
	u.Face = face.Default(u.Front, u.Taps)
	return u
}
