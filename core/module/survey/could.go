package survey

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/limits"
)

// Could is what rest voltages alone say: the chemistries that may stand there, and how full their groups are.
type Could struct {
	Chemistries []chem.ID   // all of those that the volts allow, or the one that was declared
	Pct         *[2]float64 // per cent, over all of them; nil where a voltage says nothing of it
	Flat        bool        // they stand where voltage cannot tell the charge

	declared bool
	above    []chem.ID // those of which the volts are no rest voltage: full, or just off a charger
	not      []chem.ID // those that the volts rule out
}

// MayBe says what groups at so many volts may be, and how full: over every chemistry that the volts allow where none is
// declared. digit is the weight of the last digit of a reading, rest minutes, negative where not known, accuracy volts,
// 0 where not known. A reading above the curve is no rest voltage: no charge in per cent follows from it.
func MayBe(declared chem.ID, own *chem.Curve, volts []float64, digit, rest, accuracy float64) (out Could) {
	var of []chem.Chemistry
	if k, err := chem.Lookup(declared); err == nil {
		of, out.declared = append(of, k.WithCurve(own)), true
	} else {
		for _, k := range chem.All() {
			if allows(k, volts) {
				of = append(of, k)
			} else {
				out.not = append(out.not, k.ID)
			}
		}
	}
	low, high := 1.0, 0.0
	for _, k := range of {
		out.Chemistries = append(out.Chemistries, k.ID)
		if len(volts) > 0 && slices.Max(volts) > k.Curve.Volts(1) {
			out.above = append(out.above, k.ID)
		}
		if len(volts) == 0 || slices.Contains(out.above, k.ID) {
			continue
		}
		for _, v := range volts {
			u := accuracy
			if u == 0 {
				u = limits.MeterShare*v + digit
			}
			i := k.Curve.SoCInterval(v, k.RestUncertaintyVolts(u, rest))
			low, high = min(low, i.Low), max(high, i.High)
			out.Flat = out.Flat || k.Curve.Flat(v)
		}
	}
	if low <= high {
		out.Pct = &[2]float64{math.Floor(low * 100), math.Ceil(high * 100)}
	}
	return out
}

// allows reports whether every group may stand where it does.
func allows(k chem.Chemistry, volts []float64) bool {
	for _, v := range volts {
		if v < k.NeverRechargeVolts || v > k.ChargeLimitVolts+chem.OverQuarantineVolts {
			return false
		}
	}
	return true
}

// Names lists chemistries in a sentence.
func Names(ids []chem.ID, last string) string {
	var names []string
	for _, id := range ids {
		if k, err := chem.Lookup(id); err == nil {
			names = append(names, k.Name)
		}
	}
	if n := len(names); n > 1 {
		return strings.Join(names[:n-1], ", ") + " " + last + " " + names[n-1]
	}
	return strings.Join(names, "")
}

// onCurve are the chemistries of which the volts tell a charge.
func (c Could) onCurve() []chem.ID {
	return slices.DeleteFunc(slices.Clone(c.Chemistries), func(id chem.ID) bool { return slices.Contains(c.above, id) })
}

// off says what it is that stands above its curve.
func (c Could) off() string { return Names(c.above, "or") + ", full or just off a charger" }

// Full is how full the groups are, as a piece of a sentence, "" where a voltage says nothing: 'it is 53 to 76 % full'
// where lead is 'it is'.
func (c Could) Full(lead string) string {
	if c.Pct == nil {
		return ""
	}
	text := strings.TrimSpace(fmt.Sprintf("%s %.0f to %.0f %% full by rest voltage", lead, c.Pct[0], c.Pct[1]))
	if on := c.onCurve(); !c.declared && len(on) > 0 {
		text += " if it is " + Names(on, "or")
		if len(c.above) > 0 {
			text += "; if it is " + c.off()
		}
	}
	if c.Flat {
		text += ": voltage cannot tell the charge there"
	}
	return text + "."
}

// Which says what the volts leave open where nothing was declared.
func (c Could) Which() string {
	if c.declared || len(c.Chemistries) == 0 {
		return ""
	}
	text := "By these volts it could be " + Names(c.Chemistries, "or")
	switch {
	case c.Pct != nil && len(c.above) > 0:
		text = fmt.Sprintf("By these volts it could be %s, %.0f to %.0f %% full, or %s", Names(c.onCurve(), "or"),
			c.Pct[0],
			c.Pct[1], c.off())
	case c.Pct != nil:
		text += fmt.Sprintf(", %.0f to %.0f %% full", c.Pct[0], c.Pct[1])
	}
	if len(c.not) > 0 {
		text += ", and not " + Names(c.not, "or")
	}
	return text + "."
}
