package run

import (
	"math"

	"pandrel/core/base/finding"
)

// What a device may differ by from what it was told and from what it shows itself: warned of from the first share on,
// ended from the second.
const (
	moreWarnShare = 0.05 // of the amps that were set
	moreStopShare = 0.20
	lessWarnShare = 0.25 // of a discharge; a charge tapers
	signShare     = 0.01 // of the set amps the other way round: noise of a current that is off
	signAmps      = 0.05
	restAmps      = 0.2 // in a step without current
	pastShare     = 1.05
	pastSeconds   = 10.0
	pastAh        = 0.05

	countWarnShare = 0.10 // of the charge that the amps add up to
	countStopShare = 0.30
	clockSlow      = 0.5 // of the time that passed by our own clock
	clockFast      = 2.0

	// windowSeconds are looked at before clock and counter are judged, and after watchSeconds they begin anew.
	windowSeconds = 60.0
	watchSeconds  = 900.0
	// holeSeconds between two looks are too long to add amps up over.
	holeSeconds = 300.0
)

// Attended reports whether groups in series carry a current that nothing on the device watches group by group.
func (s Step) Attended() bool { return s.Groups > 1 && s.Amps != 0 && !s.Watched }

// setting holds what a device shows against what it was set to.
func setting(s Step, r Reading) (fs []finding.Finding) {
	set, got := math.Abs(s.Amps), math.Abs(r.Amps)
	if r.Running {
		switch {
		case set == 0 && got > restAmps:
			fs = append(fs, note(finding.New(finding.Stop, codeCurrentAtRest).Reads(r.Amps, "A").Against(0).
				Says("%.1f A flow in a step without current.", got).
				Then("Current off at the device. Something else was begun on it, or it does not switch off.")))
		case set == 0:
		case r.Amps*s.Amps < 0 && got > max(signAmps, signShare*set):
			fs = append(fs, note(finding.New(finding.Stop, codeDirection).Reads(r.Amps, "A").Against(s.Amps).
				Says("The current flows the other way round than this step is to.").
				Then("Current off. Look at the clamps' polarity, and at what was begun.")))
		case got > set*(1+moreStopShare)+signAmps:
			fs = append(fs, note(finding.New(finding.Stop, codeMoreThanSet).Reads(got, "A").Against(set).
				Says("%.1f A flow, %.1f A were set.", got, set).
				Then("Current off. Read the setting back at the device.")))
		case got > set*(1+moreWarnShare)+signAmps:
			fs = append(fs, note(finding.New(finding.Caution, codeMoreThanSet).Reads(got, "A").Against(set).
				Says("%.1f A flow, %.1f A were set.", got, set).
				Then("Read the setting back at the device.")))
		case s.Amps < 0 && got < set*(1-lessWarnShare):
			fs = append(fs, note(finding.New(finding.Caution, codeLessThanSet).Reads(got, "A").Against(set).
				Says("%.1f A flow, %.1f A were set.", got, set).
				Then("Look at the clamps, and read the setting back.")))
		}
	}
	moved := math.Abs(r.Ah)
	switch most := set * (1 + moreStopShare) * r.Seconds / 3600; {
	case r.Running && moved > most+pastAh:
		fs = append(fs, note(finding.New(finding.Stop, codeCounterImpossible).Reads(moved, "Ah").Against(most).
			Says("The device counts %.2f Ah in %.0f s; at %.1f A that would be %.2f Ah at most.",
				moved, r.Seconds, set, most).
			Then("Current off. Its counter ends the charge, and cannot be believed.")))
	case r.Running && s.Ah > 0 && moved > s.Ah*pastShare+pastAh:
		fs = append(fs, note(finding.New(finding.Stop, codePastCharge).Reads(moved, "Ah").Against(s.Ah).
			Says("%.2f Ah have flowed, it was to end at %.2f Ah.", moved, s.Ah).
			Then("Current off at the device: it does not end by what it was told.")))
	}
	if r.Running && s.Seconds > 0 && r.Seconds > s.Seconds*pastShare+pastSeconds {
		fs = append(fs, note(finding.New(finding.Stop, codePastTime).Reads(r.Seconds/3600, "h").Against(s.Seconds/3600).
			Says("It runs for %.2f h, it was to end after %.2f h.", r.Seconds/3600, s.Seconds/3600).
			Then("Current off at the device: it does not end by what it was told.")))
	}
	return fs
}

// Asked is when a device was asked and when its answer had come, in seconds of our own clock times as fast as the
// device is known to be. What it answered was so at some moment between the two: on a busy machine they lie far
// apart.
type Asked struct{ From, To float64 }

// At is a moment that is known to the instant.
func At(seconds float64) Asked { return Asked{seconds, seconds} }

func (a Asked) mid() float64  { return (a.From + a.To) / 2 }
func (a Asked) half() float64 { return math.Abs(a.To-a.From) / 2 }

// Mark is what was seen of a running step so far, to hold the device's clock and counter against ours. The zero value
// is nothing seen.
type Mark struct {
	set         bool
	began       Asked   // when this window began
	seconds, ah float64 // what the device showed then
	last        Asked   // the last look
	amps        float64 // of the last look
	sum, slack  float64 // A·s that the amps add up to since the window began, and by how much the moments leave it open
	mean        float64 // amps between the last two looks
}

func markAt(r Reading, ours Asked) Mark {
	return Mark{set: true, began: ours, seconds: r.Seconds, ah: r.Ah, last: ours, amps: r.Amps}
}

// Look takes a reading into a mark and says what the device contradicts itself in, whenever between asking and hearing
// it was read. A pause, or a hole in which nobody looked, begins a new mark.
func (m Mark) Look(r Reading, ours Asked) (Mark, []finding.Finding) {
	if !r.Running {
		return Mark{}, nil
	}
	if !m.set || ours.mid()-m.last.mid() > holeSeconds || ours.mid() < m.last.mid() {
		return markAt(r, ours), nil
	}
	// Each moment stands at the end of one stretch and the beginning of the next: moving it shifts only what differs.
	mean := (m.amps + r.Amps) / 2
	m.slack += m.last.half() * math.Abs(mean-m.mean)
	m.sum += mean * (ours.mid() - m.last.mid())
	m.last, m.amps, m.mean = ours, r.Amps, mean
	least, most := ours.From-m.began.To, ours.To-m.began.From
	if least < windowSeconds {
		return m, nil
	}
	fs := clockOf(r.Seconds-m.seconds, least, most)
	moved, sum := math.Abs(r.Ah-m.ah), math.Abs(m.sum)/3600
	digits := math.Max(0.02, math.Max(math.Abs(m.amps), math.Abs(r.Amps))*5/3600)
	off := math.Abs(moved-sum) - (m.slack+ours.half()*math.Abs(mean))/3600
	l := finding.Note
	switch {
	case off > countStopShare*sum+digits:
		l = finding.Stop
	case off > countWarnShare*sum+digits:
		l = finding.Caution
	}
	if l > finding.Note {
		fs = append(fs, note(finding.New(l, codeCounter).Reads(moved, "Ah").Against(sum).
			Says("The device counted %.2f Ah in a time in which its amps add up to %.2f Ah.", moved, sum).
			Then("What ends by its counter, and what it is to give as a "+
				"result, cannot be believed. Measure the current with a clamp meter.")))
	}
	if least > watchSeconds {
		m = markAt(r, ours)
	}
	return m, fs
}

// clockOf holds the seconds that a device showed to have passed against the least and the most that did.
func clockOf(shown, least, most float64) []finding.Finding {
	switch {
	case shown < clockSlow*least:
		return []finding.Finding{note(finding.New(finding.Stop, codeClock).Reads(shown, "s").Against(least).
			Says("Its clock went on by %.0f s while %.0f s passed: its time limit ends nothing.", shown, least).
			Then("Current off. Do not leave this device alone."))}
	case shown > clockFast*most:
		return []finding.Finding{note(finding.New(finding.Caution, codeClock).Reads(shown, "s").Against(most).
			Says("Its clock went on by %.0f s while %.0f s passed.", shown, most).
			Then("What it counts by its clock is too much. Look at the device."))}
	}
	return nil
}
