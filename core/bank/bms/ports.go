package bms

import (
	"fmt"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
)

// Where a device's own supply comes from, "" not known.
const (
	SupplyLeads   = "leads"   // through its sense leads
	SupplyDoubled = "doubled" // through a second wire of its last pin
	SupplyOwn     = "own"     // through a lead of its own
)

// A charger goes on the same port as the load, or on one of its own; "" not known.
const (
	PortSame = "same"
	PortOwn  = "own"
)

// farAboveVolts above the charge limit is a threshold for another chemistry.
const farAboveVolts = 0.1

// opensAt judges where it opens for a group, where its data sheet says so, by the limits of the chemistry.
func (d Device) opensAt(id chem.ID) (out []finding.Finding) {
	c, err := chem.Lookup(id)
	if err != nil {
		return nil
	}
	say := func(level finding.Level, code string, v, limit float64, text, do string) {
		out = append(out, finding.New(level, code).About(d.Name).By(rule).
			Reads(v, "V").From(known.Typed).Against(limit).
			Says("%s", text).Then("%s", do))
	}
	switch v := d.OverVolts; {
	case v <= 0:
	case v > c.ChargeLimitVolts+farAboveVolts:
		say(finding.Refuse, codeOpensHigh, v, c.ChargeLimitVolts,
			fmt.Sprintf("It opens where a group reaches %.2f V; a "+
				"group of %s bears %.2f V.", v, c.Name, c.ChargeLimitVolts),
			"One for this chemistry, or one that can be set.")
	case v > c.ChargeLimitVolts+1e-9:
		say(finding.Caution, codeOpensHigh, v, c.ChargeLimitVolts,
			fmt.Sprintf("It opens where a group reaches %.2f V, "+
				"above the charge limit of %.2f V.", v, c.ChargeLimitVolts),
			"The charger must end below that limit by itself: "+
				"this is no charge control.")
	}
	switch v := d.UnderVolts; {
	case v <= 0:
	case v < c.NeverRechargeVolts:
		say(finding.Refuse, codeOpensLow, v, c.NeverRechargeVolts,
			fmt.Sprintf("It opens only where a group has fallen to "+
				"%.2f V, below never-recharge.", v), "One for this chemistry, or one that can be set.")
	case v < c.FloorVolts-1e-9:
		say(finding.Caution, codeOpensLow, v, c.FloorVolts,
			fmt.Sprintf("It opens only where a group has fallen to %.2f V, "+
				"below the floor of %.2f V.", v, c.FloorVolts), "The device on it must cut off earlier.")
	}
	return out
}

// SupplyText says where the supply lead of a board goes, whose last sense lead lies on point; "" where it is not known
// or has none.
func (d Device) SupplyText(point string) string {
	fuse := fmt.Sprintf("in a ring of its own, behind a fuse of at most %.0f A at that post", limits.SupplyFuseAmps)
	switch d.Supply {
	case SupplyDoubled:
		return "The supply lead is the second wire of its last pin: it goes to " + point + ", where the last " +
			"sense lead " +
			"lies, " + fuse + ". What it draws must not flow through the sense lead."
	case SupplyOwn:
		return "The supply lead goes to " + point + ", where the last sense lead lies, " + fuse + "."
	}
	return ""
}

// PortText says where the charger goes, "" where nobody said.
func (d Device) PortText() string {
	switch d.ChargePort {
	case PortOwn:
		return "It has a port of its own for the charger: the charger's negative goes there and nowhere else, " +
			"the load's " +
			"to the other. A charger on the load's port, or a load on the charger's, goes round its switch."
	case PortSame:
		return "Charger and load share its port."
	}
	return ""
}

// checkPorts says what of its ports and of where it opens cannot be.
func (d Device) checkPorts() (field, text string) {
	switch {
	case !slices.Contains([]string{"", SupplyLeads, SupplyDoubled, SupplyOwn}, d.Supply):
		return "supply", "expected leads, doubled or own"
	case !slices.Contains([]string{"", PortSame, PortOwn}, d.ChargePort):
		return "charge_port", "expected same or own"
	case d.UnderVolts > 0 && d.OverVolts > 0 && d.UnderVolts >= d.OverVolts:
		return "under_v", "expected less than where it opens above"
	}
	return "", ""
}
