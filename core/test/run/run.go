// Package run is a test that runs on a device: the steps as the device is told them, what a reading says, when the next
// step follows, and the log that comes of it (rules §5, hazards).
//
// The device ends each step by its own limits; nothing here has to be in time for that. A reading says whether a step
// goes on, is over as it should be, or ended otherwise: then nothing follows, and a person decides.
package run

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strconv"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
	"pandrel/core/test/testplan"
)

const rule = "rules §5"

// Step is what a device is told. Zero is no limit.
type Step struct {
	Kind      string  `json:"kind"`
	Amps      float64 `json:"amps"` // positive charges
	GroupMax  float64 `json:"group_max_v"`
	GroupMin  float64 `json:"group_min_v"`
	TaperAmps float64 `json:"taper_a"`
	Seconds   float64 `json:"seconds"`
	Ah        float64 `json:"ah"`
	TempMaxC  float64 `json:"temp_max_c"`
	Expected  float64 `json:"expected_s"`
	Groups    int     `json:"groups"` // how many are read
	// Watched is whether the device reads every group, and ends the step on the first at its limit.
	Watched bool `json:"watched,omitempty"`
}

// Of turns a plan into what a device is told: every step with limits of its own on time, charge and temperature.
func Of(m testplan.Module, p testplan.Plan) ([]Step, error) {
	c, err := chem.Lookup(m.Chemistry)
	if err != nil {
		return nil, err
	}
	if p.Refused || len(p.Steps) == 0 {
		return nil, fmt.Errorf("%s: its plan is refused", m.Name)
	}
	groups := m.Series
	if m.From > 0 {
		groups = m.To - m.From + 1
	}
	var out []Step
	for _, s := range p.Steps {
		x := Step{Kind: s.Kind, Groups: groups, Expected: s.Hours * 3600, Seconds: s.HardStopHours() * 3600,
			Watched: s.Watched}
		switch s.Kind {
		case "charge":
			x.Amps, x.GroupMax, x.TaperAmps, x.Ah, x.TempMaxC = s.Amps, c.ChargeLimitVolts, testplan.TaperC*m.Ah,
				testplan.OverAh*m.Ah,
				c.ChargeHighTempC
		case "storage":
			x.Amps, x.GroupMax, x.TaperAmps, x.Ah, x.TempMaxC = s.Amps, c.Settings.ChargerVolts,
				testplan.TaperC*m.Ah, 0.5*m.Ah,
				c.ChargeHighTempC
		case "discharge":
			x.Amps, x.GroupMin, x.TempMaxC = -s.Amps, c.FloorVolts, c.DischargeHighTempC
		default:
			x.Seconds = s.Hours * 3600
		}
		out = append(out, x)
	}
	return out, nil
}

// Reading is what a device shows of a step: seconds and Ah are its own counters.
type Reading struct {
	Running bool
	Paused  bool
	Ended   string // taper, floor, time, charge, temperature; "" while it runs
	Volts   float64
	Amps    float64
	TempC   float64
	Groups  []float64
	Ah      float64
	Seconds float64
}

// Verdict is what follows from a reading.
type Verdict string

// The verdicts: it goes on, the next step follows, it waits until something is seen to, or nothing follows and a person
// decides.
const (
	GoesOn  Verdict = "goes on"
	Next    Verdict = "next"
	Waits   Verdict = "waits"
	Stopped Verdict = "stopped"
)

// Against is what stands against a step at this moment beside the reading itself: what the device contradicts itself in
// (Mark), and what the record holds against the module (a look, a survey, an isolation check since it began).
type Against struct {
	Device []finding.Finding
	Record []finding.Finding
}

// JudgeReading says what follows from a reading of a step, and why where nothing does. What refuses a start ends
// what runs;
// what stops one makes it wait, since it may be seen to.
func JudgeReading(s Step, id chem.ID, r Reading, against Against) (v Verdict, fs []finding.Finding) {
	fs = slices.Concat(alarms(s, id, r), setting(s, r), against.Device)
	switch record := finding.Worst(against.Record); {
	case finding.Blocks(fs) || record == finding.Refuse:
		v = Stopped
	case record == finding.Stop:
		v = Waits
	default:
		v = GoesOn
	}
	fs = append(fs, finding.Standing(against.Record)...)
	fs = finding.Sorted(fs)
	if v != GoesOn {
		return v, fs
	}
	switch {
	case r.Ended == "" && (r.Running || r.Paused):
		return GoesOn, fs
	case r.Ended == "":
		return Stopped, append(fs, note(finding.New(finding.Stop, codeForgotten).Reads(0, "").Against(0).
			Says("The device knows nothing of this step: it was switched off, or something else was begun on it.").
			Then("Look at the bench. Begin the test anew.")))
	case asIntended(s, r.Ended):
		return Next, fs
	}
	text := map[string]string{"time": "the time limit came before its end", "temperature": "it became too warm",
		"charge": "more charge flowed than it should hold", "floor": "a group reached its floor"}[r.Ended]
	if text == "" {
		text = "it ended by " + r.Ended
	}
	return Stopped, append(fs, note(finding.New(finding.Stop, "ended-"+r.Ended).
		Reads(r.Seconds/3600, "h").Against(s.Expected/3600).
		Says("The %s step stopped: %s.", s.Kind, text).
		Then("Look at the module and its leads before anything is begun again.")))
}

// asIntended reports whether a step ended by what was to end it.
func asIntended(s Step, ended string) bool {
	switch s.Kind {
	case "charge":
		return ended == "taper"
	case "storage":
		return ended == "charge" || ended == "taper"
	case "discharge":
		return ended == "floor"
	}
	return ended == "time"
}

func note(f finding.Finding) finding.Finding {
	return f.Or("test", rule).Rounded(func(v float64) float64 { return math.Round(v*1000) / 1000 })
}

// alarms are what a reading itself says, whatever the device makes of it.
func alarms(s Step, id chem.ID, r Reading) (fs []finding.Finding) {
	c, err := chem.Lookup(id)
	if err != nil {
		return nil
	}
	if s.Attended() && len(r.Groups) == 0 {
		fs = append(fs, note(finding.New(finding.Stop, codeUnwatched).Reads(0, "groups").Against(float64(s.Groups)).
			Says("Nothing reads the %s of this step: one of them can be "+
				"driven past its limit unseen.", numeral.Count(s.Groups, "group")).
			Then("Current off. Test it by hand, with a reading of all groups each quarter of an hour.")))
	}
	other := func(planned, limit float64) {
		fs = append(fs, note(finding.New(finding.Stop, codePlannedOtherwise).Reads(planned, "V").Against(limit).
			Says("This step goes to %.2f V a group, the limit of %s is %.2f V: another "+
				"chemistry was declared since.", planned, c.Name, limit).
			Then("Current off. Plan the test anew.")))
	}
	switch {
	case s.GroupMax > c.ChargeLimitVolts+1e-9:
		other(s.GroupMax, c.ChargeLimitVolts)
	case s.GroupMin > 0 && s.GroupMin < c.FloorVolts-1e-9:
		other(s.GroupMin, c.FloorVolts)
	}
	if shows := r.Running || r.Ended != ""; shows && s.Groups > 0 && len(r.Groups) != s.Groups {
		fs = append(fs, note(finding.New(finding.Stop, codeGroups).
			Reads(float64(len(r.Groups)), "groups").Against(float64(s.Groups)).
			Says("The device reads %s where the module has %d: another module is on its clamps, or a "+
				"lead is off.", numeral.Count(len(r.Groups), "group"), s.Groups).
			Then("Current off. Look which module is on the channel, and at its lead.")))
	}
	for i, v := range r.Groups {
		switch {
		case v > c.ChargeLimitVolts+chem.OverToleranceVolts:
			fs = append(fs, note(finding.New(finding.Stop, codeOver).Reads(v, "V").From(known.Measured).
				Against(c.ChargeLimitVolts).
				Says("Group %d at %.3f V is above the charge limit: overcharge leads to fire and toxic gas.", i+1, v).
				Then("Current off. Do not leave it; discharge that group under watch.")))
		case v < c.NeverRechargeVolts:
			fs = append(fs, note(finding.New(finding.Stop, codeNeverRecharge).
				Reads(v, "V").Against(c.NeverRechargeVolts).
				Says("Group %d at %.3f V is below never-recharge.", i+1, v).
				Then("Current off. Confirm it at rest; confirmed, it is quarantined.")))
		}
	}
	if s.TempMaxC > 0 && r.TempC > s.TempMaxC {
		fs = append(fs, note(finding.New(finding.Stop, codeHot).Reads(r.TempC, "°C").From(known.Measured).
			Against(s.TempMaxC).
			Says("%.0f °C: above the limit of this step.", r.TempC).
			Then("Current off. If it goes on warming by itself: leave, call.")))
	}
	if s.Amps > 0 && r.TempC < c.ChargeLowTempC {
		fs = append(fs, note(finding.New(finding.Refuse, codeCold).Reads(r.TempC, "°C").From(known.Measured).
			Against(c.ChargeLowTempC).
			Says("%.1f °C: charging below %.0f °C plates lithium.", r.TempC, c.ChargeLowTempC).
			Then("Current off. Let it come to room temperature.")))
	}
	return fs
}

// Left is how many seconds a step goes on, about: by what is left of its charge, or of the time that was computed.
func Left(s Step, r Reading) float64 {
	if s.Amps == 0 || math.Abs(r.Amps) < 1e-6 || s.Kind == "charge" {
		return max(0, s.Expected-r.Seconds)
	}
	whole := math.Abs(s.Amps) * s.Expected / 3600
	return max(0, (whole-math.Abs(r.Ah))/math.Abs(r.Amps)*3600)
}

// Sample is a kept reading: seconds since the test began, by the device's counters.
type Sample struct {
	Seconds float64
	Step    string
	Volts   float64
	Amps    float64
	TempC   float64
	Ah      float64 // the device's own counter, of its step
	Groups  []float64
}

// Gap is a time in which nothing was read of a test; the device went on, and its counter too.
type Gap struct {
	FromS float64
	ToS   float64
}

// gapFactor and gapLeast say when two readings lie so far apart that there is a gap between them: so many times what is
// usual in the log, and so many seconds.
const (
	gapFactor = 10
	gapLeast  = 30.0
)

// Gaps finds what was not read of a test: at are the seconds of its readings, in their order.
func Gaps(at []float64) (out []Gap) {
	var apart []float64
	for i := 1; i < len(at); i++ {
		apart = append(apart, at[i]-at[i-1])
	}
	if len(apart) == 0 {
		return nil
	}
	sorted := slices.Sorted(slices.Values(apart))
	limit := max(gapLeast, gapFactor*sorted[len(sorted)/2])
	for i, d := range apart {
		if d > limit {
			out = append(out, Gap{at[i], at[i+1]})
		}
	}
	return out
}

// CSV is a test as a log: what was not read is not in it, and nothing is made up for it. The device's own counter is
// beside what was read: where it ran through a gap it tells what flowed in it.
func CSV(samples []Sample) []byte {
	var b bytes.Buffer
	groups := 0
	for _, s := range samples {
		groups = max(groups, len(s.Groups))
	}
	b.WriteString("time_s,step,volts,amps,temp_c,ah")
	for g := range groups {
		fmt.Fprintf(&b, ",group%d_v", g+1)
	}
	b.WriteByte('\n')
	num := func(v float64, d int) string { return strconv.FormatFloat(v, 'f', d, 64) }
	for _, s := range samples {
		b.WriteString(num(s.Seconds, 1) + "," + s.Step + "," + num(s.Volts, 4) + "," + num(s.Amps, 4) + "," +
			num(s.TempC, 1) + "," + num(s.Ah, 4))
		for g := range groups {
			b.WriteByte(',')
			if g < len(s.Groups) {
				b.WriteString(num(s.Groups[g], 4))
			}
		}
		b.WriteByte('\n')
	}
	return b.Bytes()
}

// After is how long the steps behind one are expected to take, seconds.
func After(steps []Step, at int) (seconds float64) {
	for _, st := range steps[at+1:] {
		seconds += st.Expected
	}
	return seconds
}
