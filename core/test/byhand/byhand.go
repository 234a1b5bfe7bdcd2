// Package byhand is a test that a person makes with a plain charger or load: what was read, when to look next, when to
// switch off whatever it shows, and what it gave (rules §5, hazards).
//
// Nothing here switches anything: a plan says what to set, a person reads and types, and the clock does the rest.
// Where no device reads the groups of a series, a person reads all of them at the start and each quarter of an hour,
// and watches the total between (package fall); no full charge is made that way.
package byhand

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
	"pandrel/core/test/fall"
	"pandrel/core/test/run"
	"pandrel/core/test/testplan"
)

const (
	rule = "rules §5, by hand"
	// lookSeconds is the longest time between two looks at something attended.
	lookSeconds = testplan.AttendMinutes * 60
	// soonSeconds is the shortest: nobody reads faster.
	soonSeconds = 60
	// lateSeconds after it was due a look is late.
	lateSeconds = 60
	// aheadShare of the time that the last readings leave is waited.
	aheadShare = 0.5
	// apartShare is how far the current may be from what was to be set.
	apartShare = 0.25
)

// Reading is what a person read, Seconds after the step began. Groups are those that were read, none where nobody did;
// TempC is nil where not read.
type Reading struct {
	Seconds float64
	Volts   float64
	Amps    float64 // positive charges
	TempC   *float64
	Groups  []float64
}

// Status is how a step stands.
type Status struct {
	ElapsedS  float64
	NextLookS float64 // after the step began
	HardStopS float64 // switched off by then, whatever it shows
	Late      bool    // the look that was due is overdue
	Over      bool    // past the hard stop, or something stands against going on
	EndNow    bool    // the step has reached its end
	Tapered   bool    // a charge whose current tapered off at its ceiling: full
	Ah        float64 // moved so far, by trapezoids between readings, magnitude
	Wh        float64
	LastS     float64 // of the last reading, 0 for none
	Says      string
	Watch     *fall.Watch // of groups in series that no device reads; nil where one does, or nothing flows
	Findings  []finding.Finding
}

// Of says how a step stands now. readings are those of this step, in order. It fails for a chemistry that is not known.
func Of(st run.Step, id chem.ID, readings []Reading, nowS float64) (Status, error) {
	c, err := chem.Lookup(id)
	if err != nil {
		return Status{}, err
	}
	s := Status{ElapsedS: nowS, HardStopS: st.Seconds, NextLookS: lookSeconds}
	if st.Kind == "rest" {
		s.NextLookS = st.Seconds
	}
	j := judge{Status: &s, st: st, c: c}
	for i, r := range readings {
		s.LastS = r.Seconds
		if i > 0 {
			h := (r.Seconds - readings[i-1].Seconds) / 3600
			s.Ah += math.Abs(r.Amps+readings[i-1].Amps) / 2 * h
			s.Wh += math.Abs(r.Amps*r.Volts+readings[i-1].Amps*readings[i-1].Volts) / 2 * h
		} else if st.Amps != 0 { // from the beginning to the first look it ran as set
			s.Ah += math.Abs(r.Amps) * r.Seconds / 3600
			s.Wh += math.Abs(r.Amps*r.Volts) * r.Seconds / 3600
		}
	}
	j.unwatched(readings, nowS)
	if n := len(readings); n > 0 {
		j.newest(readings)
		s.NextLookS = readings[n-1].Seconds + j.wait(readings)
	}
	if s.HardStopS > 0 {
		s.NextLookS = min(s.NextLookS, s.HardStopS)
	}
	if st.Ah > 0 && st.Amps != 0 { // a charge limit is a time at the set current
		s.HardStopS = min(s.HardStopS, st.Ah/math.Abs(st.Amps)*3600)
	}
	j.clock()
	s.Findings = finding.Sorted(s.Findings)
	s.Over = s.Over || finding.Blocks(s.Findings)
	return s, nil
}

// Against is the status with what the record holds against the module at this moment: whatever would refuse the start
// of a test ends what runs.
func (s Status) Against(record []finding.Finding) Status {
	stands := finding.Standing(record)
	for i, f := range stands {
		f.Do = strings.TrimSpace("Current off now. " + f.Do)
		stands[i] = f
	}
	s.Findings = finding.Sorted(append(slices.Clone(s.Findings), stands...))
	s.Over = s.Over || len(stands) > 0
	return s
}

// Held lists what keeps a step from being followed by the next: all that stands, but that its time is over.
func (s Status) Held() []finding.Finding {
	return slices.DeleteFunc(finding.Standing(s.Findings), func(f finding.Finding) bool { return f.Code == timeOver })
}

const timeOver = "time"

type judge struct {
	*Status
	st run.Step
	c  chem.Chemistry
}

func (j judge) find(f finding.Finding) {
	j.Findings = append(j.Findings, f.Or(j.st.Kind, rule).Rounded(numeral.Round3))
}

// unwatched judges groups in series that no device reads: by the newest reading of all of them, and by the total since.
func (j judge) unwatched(readings []Reading, nowS float64) {
	if j.st.Watched || j.st.Groups < 2 || j.st.Amps == 0 {
		return
	}
	limit := j.c.FloorVolts
	if j.st.Amps > 0 {
		limit = j.st.GroupMax
	}
	list := make([]fall.Reading, len(readings))
	for i, r := range readings {
		list[i] = fall.Reading{Seconds: r.Seconds, Volts: r.Volts, Amps: r.Amps, Groups: r.Groups}
	}
	w := fall.Of(j.st.Groups, limit, j.st.Amps > 0, list, nowS)
	j.Watch = &w
	const again = "Current off. Then read the total, and every group after it."
	switch w.State {
	case fall.Unread:
		if nowS > lateSeconds || len(readings) > 0 {
			j.find(finding.New(finding.Stop, codeGroupsFirst).Reads(0, "groups").Against(float64(j.st.Groups)).
				Says("No device reads the groups, and nobody has read all of "+
					"them in this step: the total alone does not tell where the weakest is.").
				Then("%s", again))
		} else {
			j.Says = "Read the total, then every group, before the current goes on."
		}
	case fall.Old:
		j.find(finding.New(finding.Stop, codeGroupsOld).
			Reads((nowS-w.Base.Seconds)/60, "min").Against(testplan.AttendMinutes).
			Says("All groups were read %.0f min ago.", (nowS-w.Base.Seconds)/60).
			Then("%s", again))
	case fall.Moved:
		j.find(finding.New(finding.Stop, codeTotalMoved).Reads(w.Moved, "V").Against(w.Left).
			Says("The total has "+
				"moved by %.2f V since all groups were read; group %d had %.2f V left then, and may be at its limit.",
				w.Moved, w.Group, w.Left).
			Then("%s", again))
	case fall.Weaker:
		now := readings[len(readings)-1]
		j.find(finding.New(finding.Stop, codeGroupsAgain).Reads(math.Abs(now.Amps), "A").Against(math.Abs(w.Base.Amps)).
			Says("Less current flows than when all groups were read, or the "+
				"total went the other way: groups that recover hide the one that does not.").
			Then("%s", again))
	case fall.Apart:
		sum := 0.0
		for _, v := range w.Base.Groups {
			sum += v
		}
		j.find(finding.New(finding.Stop, codeGroupsApart).Reads(sum, "V").Against(w.Base.Volts).
			Says("The groups add up to %.2f V, in all %.2f V was read: one of them was misread, and nothing can be "+
				"concluded from the total.", sum, w.Base.Volts).
			Then("%s", again))
	}
}

// newest judges the last reading.
func (j judge) newest(readings []Reading) {
	r := readings[len(readings)-1]
	for i, v := range r.Groups {
		switch {
		case v > j.c.ChargeLimitVolts+chem.OverToleranceVolts:
			j.find(finding.New(finding.Stop, codeOver).Reads(v, "V").From(known.Measured).Against(j.c.ChargeLimitVolts).
				Says("Group %d at %.3f V is above the charge limit: overcharge leads to fire and toxic gas.", i+1, v).
				Then("Current off now. Stay beside it, and discharge that group alone under watch."))
		case v < j.c.NeverRechargeVolts:
			j.find(finding.New(finding.Stop, codeNeverRecharge).Reads(v, "V").From(known.Measured).
				Against(j.c.NeverRechargeVolts).
				Says("Group %d at %.3f V is below never-recharge.", i+1, v).
				Then("Current off now. Read it a second time at rest; confirmed, the module is quarantined."))
		}
	}
	if n := len(r.Groups); n > 0 && j.st.Groups > 0 && n != j.st.Groups {
		j.find(finding.New(finding.Stop, codeGroups).Reads(float64(n), "groups").Against(float64(j.st.Groups)).
			Says("%s read of %d.", numeral.Count(n, "group"), j.st.Groups).
			Then("Read every group, or none and their sum."))
	}
	if n := len(r.Groups); n > 0 && n == j.st.Groups {
		sum := 0.0
		for _, v := range r.Groups {
			sum += v
		}
		if d := math.Abs(sum - r.Volts); r.Volts > 0 && d > 0.02*float64(n)+0.01*r.Volts {
			j.find(finding.New(finding.Caution, codeSum).Reads(sum, "V").Against(r.Volts).
				Says("The groups add up to %.2f V, in all %.2f V was read.", sum, r.Volts).
				Then("Read again: one of the two is wrong."))
		}
	}
	if r.TempC != nil && j.st.TempMaxC > 0 && *r.TempC > j.st.TempMaxC {
		j.find(finding.New(finding.Stop, codeHot).Reads(*r.TempC, "°C").From(known.Measured).Against(j.st.TempMaxC).
			Says("%.0f °C, above %.0f °C.", *r.TempC, j.st.TempMaxC).
			Then("Current off now. If it goes on warming without current, leave " +
				"the building and call the fire brigade."))
	}
	if r.TempC != nil && j.st.Amps > 0 && *r.TempC < j.c.ChargeLowTempC {
		j.find(finding.New(finding.Refuse, codeCold).Reads(*r.TempC, "°C").From(known.Measured).
			Against(j.c.ChargeLowTempC).
			Says("%.0f °C: charging below %.0f °C plates lithium.", *r.TempC, j.c.ChargeLowTempC).
			Then("Current off now. Let it come to room temperature."))
	}
	if j.st.Amps != 0 {
		j.current(r)
	}
	j.ends(r)
}

// current judges what flows against what was to be set.
func (j judge) current(r Reading) {
	set := math.Abs(j.st.Amps)
	got := math.Abs(r.Amps)
	switch {
	case r.Amps*j.st.Amps < 0:
		j.find(finding.New(finding.Stop, codeDirection).Reads(r.Amps, "A").From(known.Measured).Against(j.st.Amps).
			Says("The current flows the other way round than this step is to.").
			Then("Current off. Look at the clamps' polarity, and at what was begun."))
	case got > set*(1+apartShare):
		j.find(finding.New(finding.Stop, codeTooMuch).Reads(got, "A").Against(set).
			Says("%.1f A flow, %.1f A were to be set.", got, set).
			Then("Current off. Read the setting back."))
	case j.st.Amps < 0 && got < set*(1-apartShare):
		j.find(finding.New(finding.Caution, codeTooLittle).Reads(got, "A").Against(set).
			Says("%.1f A flow, %.1f A were to be set.", got, set).
			Then("Read the setting and the clamps. What counts is what you read."))
	case j.st.Amps > 0 && got == 0 && len(r.Groups) > 0 && slices.Max(r.Groups) < j.st.GroupMax-0.05:
		j.find(finding.New(finding.Caution, codeTooLittle).Reads(0, "A").Against(set).
			Says("Nothing flows, and no group is at its ceiling.").
			Then("Look whether the charger ended by itself, and why."))
	}
}

// ends says whether a reading is the end of the step.
func (j judge) ends(r Reading) {
	full := len(r.Groups) == j.st.Groups && j.st.Groups > 0
	switch j.st.Kind {
	case "discharge":
		if full && slices.Min(r.Groups) <= j.c.FloorVolts {
			j.EndNow, j.Says = true, fmt.Sprintf("Group %d is at its floor: switch the load off.",
				slices.Index(r.Groups, slices.Min(r.Groups))+1)
		}
	case "charge", "storage":
		top := j.st.GroupMax
		if full && slices.Max(r.Groups) >= top-0.005 && math.Abs(r.Amps) <= max(j.st.TaperAmps, 0.05) {
			j.EndNow, j.Tapered, j.Says = true, true, "The current has tapered off at the ceiling: this charge is over."
		}
		if j.st.Ah > 0 && j.Ah >= j.st.Ah {
			j.EndNow, j.Says = true, fmt.Sprintf("%.1f Ah have flowed: switch it off.", j.Ah)
		}
		if j.st.Kind == "charge" && !full && j.st.Groups > 1 {
			j.find(finding.New(finding.Stop, codeNoFullCharge).Reads(0, "groups").Against(float64(j.st.Groups)).
				Says("Without every group's voltage there is no full charge of groups in series.").
				Then("Read every group now, or end this charge before the highest could be full."))
		}
	}
}

// wait is how long until the next look, by where the last readings lead: half of the time that they leave.
func (j judge) wait(readings []Reading) float64 {
	if j.st.Kind == "rest" {
		return max(soonSeconds, j.st.Seconds-readings[len(readings)-1].Seconds)
	}
	w := float64(lookSeconds)
	n := len(readings)
	if n < 2 {
		return w
	}
	a, b := readings[n-2], readings[n-1]
	left := func(was, is, limit float64) {
		rate := (is - was) / (b.Seconds - a.Seconds)
		if dt := (limit - is) / rate; b.Seconds > a.Seconds && rate != 0 && dt > 0 {
			w = min(w, aheadShare*dt)
		}
	}
	for i := range b.Groups {
		if len(a.Groups) != len(b.Groups) {
			break
		}
		if j.st.Amps < 0 {
			left(a.Groups[i], b.Groups[i], j.c.FloorVolts)
		} else if j.st.Amps > 0 {
			left(a.Groups[i], b.Groups[i], j.c.ChargeLimitVolts)
		}
	}
	if x := j.Watch; x != nil && x.State == fall.Goes {
		left(a.Volts, b.Volts, x.Until)
		w = min(w, max(0, x.Base.Seconds+fall.EverySeconds-b.Seconds))
	}
	return max(soonSeconds, math.Floor(w/30)*30)
}

// clock says what time alone says.
func (j judge) clock() {
	switch {
	case j.Over || j.EndNow:
	case j.HardStopS > 0 && j.ElapsedS >= j.HardStopS && j.st.Kind == "rest":
		j.EndNow, j.Says = true, "It has rested: go on with the next step."
	case j.HardStopS > 0 && j.ElapsedS >= j.HardStopS:
		j.Over = true
		j.find(finding.New(finding.Stop, timeOver).Reads(j.ElapsedS/3600, "h").Against(j.HardStopS / 3600).
			Says("Its time is over: switched off now, whatever it shows.").
			Then("Current off. If it is not at its end something is not as planned: look before " +
				"anything is begun again."))
	case j.ElapsedS > j.NextLookS+lateSeconds && j.st.Kind != "rest":
		j.Late = true
		j.find(finding.New(finding.Caution, codeLate).Reads((j.ElapsedS-j.NextLookS)/60, "min").Against(0).
			Says("The look is %.0f min late.", (j.ElapsedS-j.NextLookS)/60).
			Then("Read it now. Attended means that somebody is there."))
	}
	if j.Says == "" {
		j.Says = map[string]string{"charge": "It charges.", "discharge": "It discharges.", "rest": "It rests.",
			"storage": "It goes back to storage charge."}[j.st.Kind]
	}
}
