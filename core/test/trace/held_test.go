package trace_test

import (
	"bytes"
	"fmt"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/test/trace"
)

// logged is a log of two NMC groups, a line each ten seconds: a rest, then so many lines under a current with group 2
// as it says, then a rest.
func logged(t *testing.T, amps float64, lines int, group2 func(i int) float64) []finding.Finding {
	t.Helper()
	b := bytes.NewBufferString("time_s,volts,amps,group1_v,group2_v\n")
	write := func(k int, amps, a, v float64) {
		fmt.Fprintf(b, "%d,%.3f,%.3f,%.3f,%.3f\n", 10*k, a+v, amps, a, v)
	}
	for k := range 30 {
		write(k, 0, 3.7, 3.7)
	}
	for i := range lines {
		write(30+i, amps, 3.7+amps/1000, group2(i))
	}
	for k := range 30 {
		write(30+lines+k, 0, 3.7, 3.7)
	}
	return analyse(t, b.Bytes(), trace.Options{Chemistry: chem.NMC, RatedAh: 46, Series: 2}).Findings
}

// What a log shows of a group outside of its window is held by how far it went: NMC, never recharged below 2.00 V,
// charged to 4.20 V, of which 20 mV are put down to the meter.
func TestAGroupOutOfItsWindowIsHeld(t *testing.T) {
	// Down a slope to 1.90 V and half a minute there: that is a group, and no contact.
	down := func(low float64) []finding.Finding {
		return logged(t, -10, 200, func(i int) float64 { return max(low, 3.7-0.01*float64(i)) })
	}
	findingtest.Holds(t, down(1.9), "driven-below", finding.Stop, 1.9, 2, "V")
	findingtest.Lacks(t, down(2.01), "driven-below")
	// One sample at 1.50 V as a discharge ends is a contact, or a group driven too low: a survey tells.
	once := func(v float64) []finding.Finding {
		return logged(t, -10, 200, func(i int) float64 {
			if i == 199 {
				return v
			}
			return 3.7 - 0.002*float64(i)
		})
	}
	findingtest.Holds(t, once(1.5), "sample-doubtful", finding.Stop, 1.5, 2, "V")
	findingtest.Lacks(t, once(3.0), "sample-doubtful")
	up := func(high float64) []finding.Finding {
		return logged(t, 10, 200, func(i int) float64 { return min(high, 3.7+0.005*float64(i)) })
	}
	findingtest.Holds(t, up(4.25), "driven-above", finding.Stop, 4.25, 4.2, "V")
	findingtest.Lacks(t, up(4.219), "driven-above")
}

// What no capacity can be told from is a stop: no current, no discharge, and figures that no cell could have shown
// until they are put right.
func TestWhatIsNoTestIsHeld(t *testing.T) {
	none := findingtest.None
	nmc := trace.Options{Chemistry: chem.NMC, RatedAh: 46, Series: 2}
	var still, charged, huge bytes.Buffer
	still.WriteString("time_s,volts\n")
	charged.WriteString("time_s,volts,amps\n")
	huge.WriteString("time_s,volts,amps\n")
	for k := range 200 {
		fmt.Fprintf(&still, "%d,7.4\n", 10*k)
		fmt.Fprintf(&charged, "%d,%.3f,10\n", 10*k, 7.4+0.002*float64(k))
		fmt.Fprintf(&huge, "%d,%.3f,-14000\n", 10*k, 8.3-0.01*float64(k)) // milliamps under a column of amps
	}
	findingtest.Holds(t, analyse(t, still.Bytes(), nmc).Findings, "no-current", finding.Stop, none, none, "")
	findingtest.Holds(t, analyse(t, charged.Bytes(), nmc).Findings, "no-discharge", finding.Stop, none, none, "")
	findingtest.Holds(t, analyse(t, huge.Bytes(), nmc).Findings, "held", finding.Stop, none, none, "")
}
