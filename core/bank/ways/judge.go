package ways

import (
	"fmt"
	"math"

	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeAround      = "way-around-switch"
	codeButton      = "button-held"
	codeNowhere     = "way-begins-nowhere"
	codeTooMuch     = "way-too-much"
	codeUnprotected = "way-unprotected"
	codeWeak        = "way-weak-part"
)

const rule = "rules §9, §10"

// Bank is what the ways hang on, 0 for not known.
type Bank struct {
	LowVolts  float64 // at the end of a discharge
	NowVolts  float64
	FullVolts float64
	Opens     bool // something opens its circuit by itself
}

// Judge says what is wrong with the ways of a bank.
func Judge(b Bank, list []Way) (out []finding.Finding) {
	for i := range list {
		w := &list[i]
		j := judging{b: b, w: w}
		j.begins(j.origin(list, w))
		for _, p := range w.Parts {
			j.part(p)
		}
		out = append(out, j.out...)
	}
	return out
}

type judging struct {
	b     Bank
	w     *Way
	ahead float64 // amps of the smallest device so far, 0 for none
	by    string
	open  bool // a device of which the amps are not known stands ahead
	bare  bool // it was said that nothing protects it
	out   []finding.Finding
}

// origin is where a way begins in the end, "" for not known. What stands ahead on the ways that it is behind is ahead
// of it too: the smallest device, and one of which the amps are not known. Read leaves no way behind itself.
func (j *judging) origin(list []Way, w *Way) (at string) {
	of := named(list, w.Of)
	if w.At != Behind || of == nil {
		return w.At
	}
	at = j.origin(list, of)
	for _, p := range of.Parts {
		j.behind(p)
	}
	return at
}

// behind notes a part that may open: all that comes after it is behind it.
func (j *judging) behind(p Part) {
	if !p.protects() {
		return
	}
	if p.Amps > 0 && (j.ahead == 0 || p.Amps < j.ahead) {
		j.ahead, j.by = p.Amps, p.Text
	}
	j.open = j.open || p.Amps <= 0
}

func (j *judging) add(f finding.Finding) {
	j.out = append(j.out, f.About(j.w.Name).By(rule).At(finding.PlaceHangs))
}

// begins judges where it branches off.
func (j *judging) begins(at string) {
	ends, supply := false, false
	for _, p := range j.w.Parts {
		ends = ends || p.ends()
		supply = supply || p.protects() && p.Amps > 0 && p.Amps <= limits.SupplyFuseAmps
	}
	switch {
	case at == "" && j.w.At != Behind:
		j.add(finding.New(finding.Caution, codeNowhere).
			Says("%s: where it branches off was not said, so that it is not known whether anything opens it.",
				j.w.Name).
			Then("Say 'at the cells' or 'behind the switch' in its line."))
	case at == Cells && j.b.Opens && (ends || !supply):
		j.add(finding.New(finding.Stop, codeAround).
			Says("%s goes round the switch: it begins at the cells, and whatever the BMS opens, it stays on, "+
				"below the floor of the cells and above their limit.", j.w.Name).
			Then("Move its device behind the switch, onto the load side of the relay. Only the monitor's own "+
				"supply may stay at the cells, with a fuse of %.0f A at most.", limits.SupplyFuseAmps))
	}
}

// part judges one part by what stands ahead of it.
func (j *judging) part(p Part) {
	switch {
	case p.protects():
		j.behind(p)
		return
	case p.Kind == Button:
		j.button(p)
		return
	}
	if j.ahead == 0 && !j.open && !j.bare {
		j.bare = true
		j.add(finding.New(finding.Stop, codeUnprotected).
			Says("%s: nothing opens before %s when it shorts.", j.w.Name, p.Text).
			Then("A fuse or breaker where it branches off, for no more than the weakest part behind it bears."))
	}
	if p.Kind == Charger || p.Kind == Load || p.Kind == Inverter {
		j.drawn(p)
		return
	}
	if bears := p.bears(); bears > 0 && j.ahead > 0 && bears < j.ahead-1e-9 {
		j.add(finding.New(finding.Stop, codeWeak).Reads(math.Floor(bears*10)/10, "A").Against(j.ahead).
			Says("%s: %s bears %s A behind %s: it is the weakest, and burns before that opens.", j.w.Name, p.Text,
				numeral.Text(math.Floor(bears*10)/10), j.by).
			Then("Its own device of at most %s A where it branches off, or a part that bears %s A.",
				numeral.Text(math.Floor(bears*10)/10), numeral.Text(j.ahead)))
	}
}

// drawn judges what draws or gives more than the device ahead lets through.
func (j *judging) drawn(p Part) {
	amps, how := p.Amps, ""
	if amps == 0 && p.Watts > 0 && j.b.LowVolts > 0 {
		amps, how = p.Watts/j.b.LowVolts, fmt.Sprintf(", taken at the battery at %.1f V", j.b.LowVolts)
	}
	if amps <= 0 || j.ahead <= 0 || amps <= j.ahead+1e-9 {
		return
	}
	j.add(finding.New(finding.Stop, codeTooMuch).Reads(math.Round(amps*10)/10, "A").Against(j.ahead).
		Says("%s, %s%s: %s A flow through %s, which bears less.", j.w.Name, p.Text, how,
			numeral.Text(math.Round(amps*10)/10), j.by).
		Then("Less current, or a device and parts for it all along: the larger device alone leaves the rest too weak."))
}

// button judges a resistor that is pressed to fill capacitors.
func (j *judging) button(p Part) {
	if p.Ohms <= 0 {
		return
	}
	at := func(v float64) string {
		return fmt.Sprintf("%.2f A and %.1f W", v/p.Ohms, v*v/p.Ohms)
	}
	text := ""
	if v := j.b.NowVolts; v > 0 {
		text = "now " + at(v)
	}
	if v := j.b.FullVolts; v > 0 {
		if text != "" {
			text += ", "
		}
		text += "full " + at(v)
	}
	if text == "" {
		return
	}
	full := max(j.b.FullVolts, j.b.NowVolts)
	f := finding.New(finding.Note, codeButton)
	held := ""
	if p.Watts > 0 && full*full/p.Ohms > p.Watts {
		f.Level = finding.Caution
		held = fmt.Sprintf(": more than its %s W if it is held", numeral.Text(p.Watts))
	}
	j.add(f.Reads(math.Round(full*full/p.Ohms*10)/10, "W").Against(p.Watts).
		Says("%s: through %s flow %s%s. How many seconds it takes is not known without the load's capacitors.",
			j.w.Name,
			p.Text, text, held).
		Then("Press until the load side stands within a few volts, measured; never hold it beyond."))
}
