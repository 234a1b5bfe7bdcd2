package chart_test

import (
	"testing"

	"pandrel/core/base/chart"
)

// Each bar has its label, in order.
func TestBars(t *testing.T) {
	c := chart.OfBars("Lacks", "group", "Ah")
	for i, name := range []string{"1", "2", "3"} {
		c.Bar(name, float64(i)*2)
	}
	if !c.Bars || len(c.Labels) != 3 || len(c.Curves) != 1 || c.Curves[0].Points[2] != [2]float64{2, 4} ||
		c.Labels[1] != "2" || c.Y != "Ah" {
		t.Errorf("%+v", c)
	}
}
