package wiring

import (
	"fmt"
	"math"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// senseTable lists what each sense input must read against B−, and checks that the leads step up
// by one group each. Spare inputs have no step of their own.
//
// In one piece: each lead is judged against the last one that was fitted.
func (c *checker) senseTable() {
	l := c.joined()
	for bi, b := range c.Net.BMS {
		if b.Groups > 0 && len(b.Sense) != b.Groups+1 {
			c.find(finding.New(finding.Stop, codeSenseCount).About(b.ID).
				Reads(float64(len(b.Sense)), "leads").Against(float64(b.Groups+1)).
				Says("BMS %s for %s lists %s.", b.ID, numeral.Count(b.Groups, "group"),
					numeral.Count(len(b.Sense), "sense lead")).
				Then("List %d, with null for a lead that is not fitted.", b.Groups+1))
		}
		base := b.BMinus
		if base == "" && len(b.Sense) > 0 && b.Sense[0] != nil {
			base = *b.Sense[0]
		}
		last := -1
		top := c.tops[bi]
		open := c.hiddenAbove(bi)
		for i, s := range b.Sense {
			row := SenseRow{BMS: b.ID, Input: i, Spare: i > top && !open}
			if s == nil {
				if i < top || open {
					c.find(finding.New(finding.Stop, codeSenseMissing).About(fmt.Sprintf("%s input %d", b.ID, i)).
						Says("Sense lead %d of %s is not fitted.", i, b.ID).
						Then("Fit it, or tie the input as the BMS's data sheet says."))
				}
				c.r.SenseTable = append(c.r.SenseTable, row)
				continue
			}
			row.Point = *s
			p := c.Point[*s]
			if base != "" {
				if _, v, ok := l.Between(c.Point[base], p); ok {
					row.ExpectedV = finding.Of(numeral.Round3(v))
				}
			}
			c.r.SenseTable = append(c.r.SenseTable, row)
			if last >= 0 && i <= top {
				n, _, ok := l.Between(c.Point[*b.Sense[last]], p)
				if !ok || n != i-last {
					text := fmt.Sprintf("Sense lead %d of %s lies %s above lead %d.", i, b.ID, numeral.Count(n,
						"group"), last)
					switch {
					case !ok:
						text = fmt.Sprintf("Sense lead %d of %s is not connected to lead %d through any group.", i,
							b.ID, last)
					case n == 0:
						text = fmt.Sprintf("Sense leads %d and %d of %s share one tap.", last, i, b.ID)
					case n < 0:
						text = fmt.Sprintf("Sense lead %d of %s lies %s below lead %d.", i, b.ID, numeral.Count(-n,
							"group"), last)
					}
					c.find(finding.New(finding.Stop, codeSenseStep).About(fmt.Sprintf("%s input %d", b.ID,
						i)).Reads(float64(n), "groups").Against(float64(i-last)).Says("%s", text).
						Then("Leads must step up by one group each. Do not plug in."))
				}
			}
			last = i
		}
		if n := top + 1; !open && n < len(b.Sense) {
			tied, bare := 0, 0
			for _, s := range b.Sense[n:] {
				if s == nil {
					bare++
				} else {
					tied++
				}
			}
			c.find(finding.New(finding.Note, codeSpareInputs).About(b.ID).Reads(float64(tied+bare), "inputs").
				Against(0).
				Says("%s has %d spare inputs: %d tied to the top, %d open.", b.ID, tied+bare, tied, bare).
				Then("Compare with its data sheet: some want them tied to the last lead, some left open."))
		}
	}
}

// Expected is the sense table of one BMS by input, NaN where an input has no lead or no known voltage.
func (r Report) Expected(bms string) []float64 {
	var out []float64
	for _, row := range r.SenseTable {
		switch {
		case row.BMS != bms:
		case row.ExpectedV == nil:
			out = append(out, math.NaN())
		default:
			out = append(out, *row.ExpectedV)
		}
	}
	return out
}

// hiddenAbove reports whether open inputs above the top lead belong to groups that no other lead sees,
// so that leads are missing there and not spare.
func (c *checker) hiddenAbove(bms int) bool {
	b := c.Net.BMS[bms]
	top := c.tops[bms]
	if top < 0 || top+1 >= len(b.Sense) || b.Sense[top+1] != nil {
		return false
	}
	net := network.NewLevels(len(c.Names))
	c.JoinTies(net, func(t *netlist.Tie) bool { return t.Kind != netlist.BMSTie })
	for i, x := range c.Cells {
		if !c.seen[i] {
			if _, _, same := net.Between(x.Lo, c.Point[*b.Sense[top]]); same {
				return true
			}
		}
	}
	return false
}
