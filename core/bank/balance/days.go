package balance

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Defaults of rules §13.
const (
	DefaultDuty    = 0.08  // share of the day above balance start
	DoneVolts      = 0.020 // spread at the top, at taper current
	DoneShare      = 0.005 // of capacity still unequal
	HardStopFactor = 1.2
	taperC         = 0.01 // where constant voltage ends
)

// Work is balancing to be done. MissingAh is what each group lacks to the fullest one, 0 for that one; Ah the capacity
// of a group.
type Work struct {
	MissingAh   []float64
	Ah          float64
	BMSAmps     float64 // balance current, 0 for none
	Duty        float64 // 0 takes 0.08
	Active      bool    // moves charge instead of burning it
	Alternating bool    // odd and even groups take turns: half the current
	ChargerAmps float64 // a charger for one group, by hand; 0 for none
	TaperHours  float64 // of it, 0 takes half an hour
	SupplyAmps  float64 // all groups in parallel at one voltage; 0 for none
}

// Ways are how long each way takes; 0 where it is not at hand.
type Ways struct {
	WorstAh      float64           `json:"worst_ah"`
	TotalAh      float64           `json:"total_missing_ah"`
	BMSDays      float64           `json:"bms_days"`
	GainDayAh    float64           `json:"gain_ah_per_day"` // by the BMS
	HandHours    float64           `json:"by_hand_hours"`
	HandGroups   int               `json:"by_hand_groups"`
	ParallelH    float64           `json:"in_parallel_hours"`
	HardStopHand []float64         `json:"hard_stop_hours"` // of each group by hand, in order
	HardStopPar  float64           `json:"hard_stop_parallel_hours"`
	NowAh        float64           `json:"now_ah"`  // what the bank gives charged to the first full group
	DoneAh       float64           `json:"done_ah"` // and balanced
	Done         bool              `json:"done"`
	Advice       string            `json:"advice"`
	Findings     []finding.Finding `json:"findings"`
}

// Plan works out each way. It fails, saying what was expected, where the work cannot be as it is said.
//
// In one piece: the ways stand beside each other, each a line of rules §13.
func Plan(w Work) (Ways, error) {
	p := Ways{HardStopHand: []float64{}, Findings: []finding.Finding{}}
	if len(w.MissingAh) < 2 || len(w.MissingAh) > 1000 {
		return p, fmt.Errorf("%s: expected 2 or more", numeral.Count(len(w.MissingAh), "group"))
	}
	if !(w.Ah > 0 && w.Ah < 1e6) {
		return p, fmt.Errorf("capacity %v Ah: expected above 0", w.Ah)
	}
	for _, v := range []float64{w.BMSAmps, w.Duty, w.ChargerAmps, w.TaperHours, w.SupplyAmps} {
		if !(v >= 0 && v < 1e5) {
			return p, fmt.Errorf("%v: expected 0 (not at hand) or more", v)
		}
	}
	if w.Duty > 1 {
		return p, fmt.Errorf("duty %v: expected a share of the day, 0 to 1", w.Duty)
	}
	least, sum := math.Inf(1), 0.0
	for _, m := range w.MissingAh {
		if !(math.Abs(m) <= w.Ah) {
			return p, fmt.Errorf("%v Ah of %v Ah: expected what a group lacks to the fullest", m, w.Ah)
		}
		least, sum = min(least, m), sum+m
	}
	missing := slices.Clone(w.MissingAh)
	for i := range missing { // the fullest group lacks nothing, whatever the offsets were counted from
		missing[i] -= least
		p.WorstAh, p.TotalAh = max(p.WorstAh, missing[i]), p.TotalAh+missing[i]
	}
	duty := w.Duty
	if duty == 0 {
		duty = DefaultDuty
	}
	amps := w.BMSAmps
	if w.Alternating {
		amps /= 2
	}
	// Balanced, the weakest group still ends the discharge; unequal at the top, so much less.
	p.DoneAh, p.NowAh = w.Ah, w.Ah-p.WorstAh
	p.Done = p.WorstAh < DoneShare*w.Ah
	if amps > 0 {
		p.GainDayAh = min(24*amps*duty, p.WorstAh)
		p.BMSDays = p.WorstAh / (24 * amps * duty)
		if w.Active {
			mean, moved := p.TotalAh/float64(len(missing)), 0.0
			for _, m := range missing {
				moved += math.Abs(m-mean) / 2
			}
			p.BMSDays = moved / (24 * amps * duty)
			if p.BMSDays > 0 {
				p.GainDayAh = min(p.WorstAh, p.WorstAh/p.BMSDays)
			}
		}
	}
	if w.ChargerAmps > 0 {
		taper := w.TaperHours
		if taper == 0 {
			taper = 0.5
		}
		for _, m := range missing {
			h := 0.0
			if m > DoneShare*w.Ah {
				h = m/w.ChargerAmps + taper
				p.HandGroups++
			}
			p.HandHours += h
			p.HardStopHand = append(p.HardStopHand, HardStopFactor*h)
		}
	}
	if w.SupplyAmps > 0 {
		// The last tenth flows as an exponential: its time constant is that of the whole charge at the full current.
		cc := p.TotalAh / w.SupplyAmps
		end := taperC * w.Ah * float64(len(missing))
		tail := 0.0
		if end < w.SupplyAmps && p.TotalAh > 0 {
			tail = 0.1 * cc * math.Log(w.SupplyAmps/end)
		}
		p.ParallelH = cc + tail
		p.HardStopPar = HardStopFactor * p.ParallelH
	}
	p.advise(w)
	return p, nil
}

func (p *Ways) advise(w Work) {
	switch {
	case p.Done:
		p.Advice = fmt.Sprintf("Test now: %.1f Ah are unequal, below 0.5 %% of capacity.", p.WorstAh)
	case p.BMSDays > 0 && p.BMSDays <= 14:
		p.Advice = fmt.Sprintf("Wait %.1f days at full charge: each gains %.2f Ah. A test now would miss %.1f Ah.",
			p.BMSDays, p.GainDayAh, p.WorstAh)
	case p.HandHours > 0 && (p.ParallelH == 0 || p.HandHours <= p.ParallelH):
		p.Advice = fmt.Sprintf("Charge the low groups by hand: %.1f hours beside it.", p.HandHours)
		if p.BMSDays > 0 {
			p.Advice = strings.TrimSuffix(p.Advice, ".") + fmt.Sprintf("; the BMS would take %.0f days.", p.BMSDays)
		}
	case p.ParallelH > 0:
		p.Advice = fmt.Sprintf("All groups in parallel at one voltage: %.1f hours beside it.", p.ParallelH)
	case p.BMSDays > 0:
		p.Advice = fmt.Sprintf("The BMS alone takes %.0f days: charge the low groups by hand.", p.BMSDays)
	default:
		p.Advice = "Charge the low groups one by one, or all in parallel at one voltage."
	}
	if p.HandHours > 0 || p.ParallelH > 0 {
		p.Findings = append(p.Findings, finding.New(finding.Caution,
			codeAttendedOnly).About("balancing").Reads(math.Round(max(p.HandHours, p.ParallelH)*10)/10,
			"h").By("rules §13").
			Says("Balancing by hand is attended only, with the hard stop time set before it begins.").
			Then("Nobody there, nothing on. Measure the group at the start, often near the end, and stop by the "+
				"clock."))
	}
	if p.BMSDays > 60 {
		p.Findings = append(p.Findings, finding.New(finding.Caution,
			codeBMSTooSlow).About("balancing").Reads(math.Round(p.BMSDays), "days").Against(60).By("rules §13").
			Says("The BMS alone takes %.0f days.", p.BMSDays).
			Then("Balance by hand first."))
	}
}
