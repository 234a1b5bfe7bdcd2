package wiring

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/currents"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// solvedPoints is the size up to which the network's resistance is solved; above it the levels are
// taken as tied together, which gives a fault current that is too high rather than too low.
const solvedPoints = 4000

// prospective fills in the fault current at the terminals: 1.25 × full-charge volts over the ohmic
// resistance of the solved network (rules §10).
func (c *checker) prospective() {
	if c.r.FullVolts == 0 || len(c.r.Shorts) > 0 {
		return
	}
	for _, m := range c.Net.Modules {
		for _, g := range m.Groups {
			if g.MOhm == 0 {
				return
			}
		}
	}
	mOhm := 0.0
	t := c.Net.Terminals
	if len(c.Names) <= solvedPoints && len(t.Plus) > 0 && len(t.Minus) > 0 {
		mOhm = currents.Resistance(c.Indexed, c.Point[t.Plus[0]], c.Point[t.Minus[0]],
			func(t *netlist.Tie) float64 { return t.MOhm })
	} else {
		levels := map[int]float64{}
		for _, x := range c.Cells {
			_, n, _ := c.joined().Find(x.Lo)
			levels[n] += 1 / c.Net.Modules[x.Module].Groups[x.Group].MOhm
		}
		for _, g := range levels {
			mOhm += 1 / g
		}
	}
	if mOhm > 0 {
		c.r.ProspectiveA = finding.Of(math.Round(ProspectiveFactor * c.r.FullVolts / mOhm * 1000))
	}
}

// inner is the resistance of a tie that lies between modules, mΩ, 0 of any other: a fault may lie at a device's own
// load side, and no cable beyond it may be counted upon, nor joints that nobody measured.
func (c *checker) inner(t *netlist.Tie) float64 {
	if t.Cond == nil || c.Net.JointsAssumed || c.Owner[t.A] < 0 || c.Owner[t.B] < 0 {
		return 0
	}
	return t.MOhm
}

// faultAmps is what can flow through a device into a fault at its load side: for one in a string the worse of its own
// string and all others, else the whole bank. ok is false where a resistance is not known.
func (c *checker) faultAmps(device int, s currents.Rows) (amps float64, ok bool) {
	if c.r.ProspectiveA == nil {
		return 0, false
	}
	label := s.Tie[device]
	if all := c.strings(s); all[label] != nil {
		if c.mohms == nil {
			c.mohms = s.MOhms(c.Indexed, all, c.inner)
			for _, l := range slices.Sorted(maps.Keys(c.mohms)) { // in one order, so that the sum is one
				c.siemens += 1 / c.mohms[l]
			}
		}
		own := 1 / c.mohms[label]
		others := 0.0
		if len(all) > 1 {
			others = c.siemens - own
		}
		return ProspectiveFactor * c.r.FullVolts * max(own, others) * 1000, true
	}
	t := c.Net.Terminals
	if len(c.Names) > solvedPoints || len(t.Plus) == 0 || len(t.Minus) == 0 {
		return *c.r.ProspectiveA, true // of the groups alone
	}
	if c.shorted == 0 {
		c.shorted = currents.Resistance(c.Indexed, c.Point[t.Plus[0]], c.Point[t.Minus[0]], c.inner)
	}
	if c.shorted <= 0 {
		return 0, false
	}
	return math.Round(ProspectiveFactor * c.r.FullVolts / c.shorted * 1000), true
}

// InterruptAlways is what a device may interrupt where the fault current is not known, A: the usual figure of class T.
const InterruptAlways = 20000.0

// interrupting compares what a device can open with what can flow through it.
func (c *checker) interrupting(device int, s currents.Rows) {
	k := c.Ties[device].Cond
	if k.InterruptA == nil {
		return
	}
	amps, ok := c.faultAmps(device, s)
	switch {
	case !ok && *k.InterruptA < InterruptAlways:
		f := finding.New(finding.Caution, codeInterruptNotKnown).About(k.ID).
			ReadsIf(k.InterruptA, "A").Against(InterruptAlways).By(rule).
			Says("%s can interrupt %.0f A: what can "+
				"flow through it into a fault is not known, as a resistance of the cells is not.", k.ID, *k.InterruptA).
			Then("Measure the resistance of each module, or use a device that interrupts 20 kA, such as class T.")
		c.r.Findings = append(c.r.Findings, f)
		f.Level = finding.Stop
		c.r.IntoService = append(c.r.IntoService, f)
	case ok && amps > *k.InterruptA:
		c.find(finding.New(finding.Stop, codeInterruptRating).About(k.ID).
			Reads(math.Round(amps), "A").Against(*k.InterruptA).
			Says("%s can interrupt %.0f A, about %.0f A can flow through it into a fault.", k.ID, *k.InterruptA, amps).
			Then("Use a device with a higher interrupting rating, such as class T."))
	}
}

// onRecord asks on the way into service for what a device must be, where its file does not say it.
func (c *checker) onRecord(device int, s currents.Rows) {
	k := c.Ties[device].Cond
	var lacks, must []string
	if k.RatingA == nil {
		lacks = append(lacks, "its rating")
		if need := c.through(device, s); need > 0 {
			must = append(must, fmt.Sprintf("%.0f A or more, and no more than its conductors carry", math.Ceil(need)))
		} else {
			must = append(must, "no more amps than its conductors carry")
		}
	}
	if k.VoltageRatingV == nil {
		lacks = append(lacks, "its DC volts")
		must = append(must, fmt.Sprintf("%.1f V DC or more", c.r.FullVolts))
	}
	if k.InterruptA == nil {
		lacks = append(lacks, "what it interrupts")
		amps, ok := c.faultAmps(device, s)
		if !ok {
			amps = InterruptAlways
		}
		must = append(must, fmt.Sprintf("interrupting %.1f kA or more", math.Ceil(amps/100)/10))
	}
	if len(lacks) == 0 {
		return
	}
	c.r.IntoService = append(c.r.IntoService, finding.New(finding.Stop,
		codeFuseNotKnown).About(k.ID).Reads(float64(len(lacks)), "ratings").Against(0).By(rule).
		Says("Of %s is not on record: %s. It must be: %s.", k.ID, finding.Names(lacks, "ratings"),
			strings.Join(must, "; ")).
		Then("Read them from the device itself and write them down with the bank's ratings. What does not say them is "+
			"no device for this bank.").At(finding.PlaceParts))
}

// groupLimit is the charge limit of a module's groups; without a chemistry the highest that any has, since no rating
// may be judged by less.
func (c *checker) groupLimit(m int) float64 {
	ch, err := chem.Lookup(c.Net.Modules[m].Chemistry)
	if err != nil {
		return chem.MostChargeVolts()
	}
	return ch.ChargeLimitVolts
}
