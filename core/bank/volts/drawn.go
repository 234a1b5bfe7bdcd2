package volts

import (
	"pandrel/core/base/chart"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// Drawn is the rest curve of the whole with what is marked on it; the flat stretch is a band.
func Drawn(k chem.Chemistry, series int, at, cutoff, most float64) *chart.Chart {
	s := float64(series)
	c := &chart.Chart{Title: "Rest volts against charge", X: "charge, %", Y: "V of the whole",
		Curves: []chart.Curve{{Name: k.Name}}, Marks: []chart.Mark{}}
	flat := [2]float64{-1, -1}
	for i := range 101 {
		soc := float64(i) / 100
		v := k.Curve.Volts(soc)
		c.Curves[0].Points = append(c.Curves[0].Points, [2]float64{float64(i), v * s})
		if k.Curve.Flat(v) {
			if flat[0] < 0 {
				flat[0] = float64(i)
			}
			flat[1] = float64(i)
		}
	}
	if flat[0] >= 0 {
		c.Band = flat
	}
	if at > 0 {
		c.Marks = append(c.Marks, chart.Mark{Name: "asked", At: at, Level: "plain"})
	}
	if cutoff > 0 {
		c.Marks = append(c.Marks, chart.Mark{Name: "cut-off", At: cutoff, Level: "caution"})
	}
	if most > 0 {
		c.Marks = append(c.Marks, chart.Mark{Name: "device's highest", At: most, Level: "stop"})
	}
	return c
}

// JudgeWindow says what a window cannot do: hold an end where the curve is flat, or balance below its steep top.
func JudgeWindow(k chem.Chemistry, w WindowResult) (fs []finding.Finding) {
	top := float64(int(w.High.GroupVolts*1000)) / 1000
	if k.Curve.Flat(w.High.GroupVolts) || k.Curve.Flat(w.Low.GroupVolts) {
		fs = append(fs, finding.New(finding.Note, codeFlatSetting).About("window").Reads(top, "V").By("rules §1").
			Says("An end of this window lies where the curve is flat: a voltage setting holds it only roughly.").
			Then("Let a counter of amp hours end it, and charge to the top now and then so that it starts right."))
	}
	if t := k.TopBalanceVolts; t > 0 && w.High.GroupVolts < t {
		fs = append(fs, finding.New(finding.Note, codeNoTopBalance).About("window").Reads(top, "V").Against(t).
			By("rules §7").Says("Below the steep top of the curve groups cannot be balanced.").
			Then("Charge to the usual setting once a month."))
	}
	return fs
}
