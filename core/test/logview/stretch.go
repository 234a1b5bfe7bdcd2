package logview

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/test/logfile"
	"pandrel/core/test/trace"
)

// Stretch is what flowed between two times of a log. In and out are counted apart; what a gap may hide is on top.
type Stretch struct {
	FromS     float64 `json:"from_s"` // of its first sample
	ToS       float64 `json:"to_s"`   // of its last
	Samples   int     `json:"samples"`
	InAh      float64 `json:"in_ah"`
	OutAh     float64 `json:"out_ah"`
	InWh      float64 `json:"in_wh"`
	OutWh     float64 `json:"out_wh"`
	GapAh     float64 `json:"gap_ah"`
	FirstV    float64 `json:"first_v"`
	LastV     float64 `json:"last_v"`
	LowV      float64 `json:"low_v"`
	HighV     float64 `json:"high_v"`
	LowGroup  int     `json:"low_group"` // the group that was lowest, 0 without groups
	LowGroupV float64 `json:"low_group_v"`
	MeanAmps  float64 `json:"mean_amps"` // with its sign, over time
	FirstLine int     `json:"first_line"`
	LastLine  int     `json:"last_line"`
}

// Between returns what flowed between two times of a log whose sign is settled, by trapezoids over its own samples:
// stretches that share a sample add up to the whole. gaps are those of Analyse: they are bridged by nothing. It fails
// where no two samples lie between.
func Between(log *logfile.Log, gaps []trace.Gap, fromS, toS float64) (Stretch, error) {
	t := log.Seconds
	first, _ := slices.BinarySearch(t, fromS)
	behind, _ := slices.BinarySearch(t, math.Nextafter(toS, math.Inf(1)))
	if !(toS > fromS) || behind-first < 2 {
		return Stretch{}, fmt.Errorf("between %g s and %g s: expected at least two samples of the log", fromS, toS)
	}
	last := behind - 1
	s := Stretch{FromS: t[first], ToS: t[last], Samples: behind - first, FirstV: log.Volts[first],
		LastV: log.Volts[last], LowV: math.Inf(1), HighV: math.Inf(-1), LowGroupV: math.Inf(1),
		FirstLine: log.LineOf(first), LastLine: log.LineOf(last)}
	hole := 0
	for hole < len(gaps) && gaps[hole].ToS <= s.FromS {
		hole++
	}
	for i := first; i <= last; i++ {
		s.LowV, s.HighV = min(s.LowV, log.Volts[i]), max(s.HighV, log.Volts[i])
		if i == first {
			continue
		}
		if hole < len(gaps) && t[i-1] >= gaps[hole].FromS && t[i] <= gaps[hole].ToS {
			s.GapAh += gaps[hole].AhHigh
			hole++
			continue
		}
		h := (t[i] - t[i-1]) / 3600
		ah, wh := (log.Amps[i]+log.Amps[i-1])/2*h, (log.Amps[i]*log.Volts[i]+log.Amps[i-1]*log.Volts[i-1])/2*h
		if ah > 0 {
			s.InAh, s.InWh = s.InAh+ah, s.InWh+wh
		} else {
			s.OutAh, s.OutWh = s.OutAh-ah, s.OutWh-wh
		}
	}
	for g := range log.Groups {
		for i := first; i <= last; i++ {
			if x := log.Groups[g][i]; x < s.LowGroupV {
				s.LowGroup, s.LowGroupV = g+1, x
			}
		}
	}
	if s.LowGroup == 0 {
		s.LowGroupV = 0
	}
	s.MeanAmps = (s.InAh - s.OutAh) * 3600 / (s.ToS - s.FromS)
	return s, nil
}
