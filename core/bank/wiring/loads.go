package wiring

import (
	"cmp"
	"math"
	"slices"

	"pandrel/core/bank/currents"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// fed finds conductors without an overcurrent device in their own row that can carry more than their rating for ever:
// an outlet's wire behind the main fuse, a main cable that several string fuses feed. One before every device is a
// matter of its length and not of its rating.
func (c *checker) fed(s currents.Rows) {
	if len(c.Net.Terminals.Plus) == 0 || len(c.Net.Terminals.Minus) == 0 {
		return
	}
	faults := currents.NewFaults(c.Indexed, c.joined())
	ask := currents.WithoutDevice(c.Indexed, s)
	slices.SortFunc(ask, func(a, b int) int { // the thinnest first, should there be too many
		x, y := &c.Ties[a], &c.Ties[b]
		return cmp.Or(cmp.Compare(*x.Cond.RatingA, *y.Cond.RatingA), cmp.Compare(x.Name, y.Name))
	})
	for k, i := range ask {
		t := &c.Ties[i]
		if faults.Looked() > mostLooked {
			c.find(finding.New(finding.Caution, codeFaultsNotChecked).About(t.Name).
				Reads(float64(len(ask)-k), "conductors").Against(0).
				Says("%d conductors without an overcurrent device of their own, from %s on, are too many to be asked "+
					"what a fault behind them draws: not checked.", len(ask)-k, t.Name).
				Then("Check a part of the bank at a time, or give each of them a device."))
			return
		}
		amps, devices := faults.Most(i)
		if math.IsInf(amps, 1) || amps <= *t.Cond.RatingA+1e-9 {
			continue
		}
		c.find(finding.New(finding.Stop, codeFuseAboveConductor).About(t.Name).
			Reads(numeral.Round3(amps), "A").Against(*t.Cond.RatingA).
			Says("%s let %.0f A pass for ever into a fault behind %s, which carries %.0f A: the conductor burns "+
				"before a device opens.", finding.Names(devices, "devices"), amps, t.Name, *t.Cond.RatingA).
			Then("Give it a device of its own that is no larger than it, or use a larger conductor."))
	}
}

// mostLooked bounds what asking for faults may cost, in points that are looked at: far above any bank that is built.
const mostLooked = 20_000_000

// cells compares the share of the design current that each group carries with what its module gives for ever: what its
// type says, or the typical 1 C (rules §12).
func (c *checker) cells(s currents.Rows) {
	if c.Net.DesignA <= 0 {
		return
	}
	name, worst, limit := "", 0.0, 0.0
	for i, share := range currents.Shares(c.Indexed, c.joined(), s, c.Net.DesignA) {
		m := &c.Net.Modules[c.Cells[i].Module]
		gives := m.DischargeA
		if gives <= 0 {
			gives = m.Groups[c.Cells[i].Group].Ah * chem.TypicalDischargeC
		}
		if share <= 0 || gives <= 0 {
			continue
		}
		if over := share*limit - worst*gives; name == "" || over > 1e-9 || over > -1e-9 && m.ID < name {
			name, worst, limit = m.ID, share, gives
		}
	}
	if worst <= limit+1e-9 {
		return
	}
	level := finding.Caution
	if worst > 2*limit+1e-9 { // beyond what is given for seconds
		level = finding.Stop
	}
	c.find(finding.New(level, codeCellsCurrent).About(name).
		Reads(numeral.Round3(worst), "A").Against(numeral.Round3(limit)).
		Says("%s carries %.0f A of the design current, its cells give %.0f A for ever.", name, worst, limit).
		Then("Lower the load, put more modules in parallel, or read what the " +
			"cells bear from their data sheet and write it down with the type."))
}
