package sense

import (
	"fmt"
	"math"
)

// Odd is a lead that does not read what it must, said while others are still to be read. Input is −1 for the reading of
// the top lead against lead 0.
type Odd struct {
	Input           int
	Volts, Expected float64
	Text            string
}

// SoFar looks at the leads one by one as they are read: it names what to read again while the probes are still there,
// and never says that leads are good; that takes all of them, and JudgeLeads. left is how many leads are not read yet.
// What all groups gained or lost since their survey is fitted from the third reading on. It fails as JudgeLeads does.
func SoFar(bms string, expected []float64, measured []Measured, accuracyVolts float64) (odd []Odd, left int,
	err error) {
	j, err := begin(bms, expected, measured, accuracyVolts)
	if err != nil {
		return nil, 0, err
	}
	j.shift()
	j.match()
	for i, at := range j.at {
		if at == -2 {
			left++
		}
		if text := j.oddLead(i); text != "" {
			odd = append(odd, Odd{i, *j.got[i], j.expected[i], text})
		}
	}
	if z, i := j.zero, j.zeroInput; z != nil && !math.IsNaN(j.expected[i]) && !math.IsNaN(j.expected[0]) {
		want := j.expected[i] - j.expected[0]
		if math.Abs(*z-want) > j.step/4 {
			odd = append(odd, Odd{-1, *z, want, "lead 0 is open or on another tap, or a probe does not touch"})
		}
	}
	return odd, left, nil
}

// oddLead says what is odd about one lead that was read, "" for nothing.
func (j *judge) oddLead(i int) string {
	at := j.at[i]
	if at < -1 {
		return ""
	}
	m, want := *j.got[i], j.expected[i]
	switch {
	case at == i || at >= 0 && math.Abs(j.expected[at]-want) < 1e-6: // inputs tied to one point
		return j.oddStep(i)
	case math.Abs(m) < j.step/4:
		return "nothing: the lead is open, or a probe does not touch"
	case math.Abs(m+want) < j.step/4:
		return "the right size with the wrong sign: the probes are swapped, or the bank is reversed"
	case at >= 0:
		return fmt.Sprintf("that is the voltage of lead %d", at)
	}
	return "that is no lead's voltage"
}

// oddStep compares a lead on its tap with the one below it: the group between them.
func (j *judge) oddStep(i int) string {
	if i == 0 || j.got[i-1] == nil || j.at[i-1] != i-1 || math.IsNaN(j.expected[i-1]) {
		return ""
	}
	want, got := j.expected[i]-j.expected[i-1], *j.got[i]-*j.got[i-1]
	if limit := j.tolerance(*j.got[i]); math.Abs(got-want) > limit+1e-9 && want > 1e-6 {
		return fmt.Sprintf("its group has %.3f V, and had %.3f V when it was surveyed", got, want)
	}
	return ""
}
