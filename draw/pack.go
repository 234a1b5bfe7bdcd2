package draw

import (
	"fmt"

	"pandrel/core/base/numeral"
	"pandrel/core/procedure/pack"
)

// Pack draws a pack as its modules in a row, with the bridges to lift numbered in their order.
// lifted says which lifts are done.
func Pack(title string, volts []float64, plan pack.Plan, lifted map[int]bool) string {
	n := float64(len(volts))
	w := min(1120, max(360, n*74))
	cell := (w - 24) / n
	c := open(w, 120, "pack", title, fmt.Sprintf("%s, %.1f V, %d bridges to lift", numeral.Count(len(volts), "module"),
		plan.WholeVolts, len(plan.Lifts))).measured()
	for i, v := range volts {
		x := 12 + cell*float64(i)
		c.rect("dr-case", x+3, 46, cell-6, 40, 4)
		c.text("dr-ink num", x+cell/2, 64, min(14, cell/3), "middle", fmt.Sprint(i+1))
		if cell > 38 {
			c.text("dr-soft num", x+cell/2, 80, 11, "middle", fmt.Sprintf("%.1f V", v))
		}
		if i > 0 {
			c.path("dr-copper", "M"+num(x-5)+" 66L"+num(x+5)+" 66")
		}
	}
	for i, l := range plan.Lifts {
		x := 12 + cell*float64(l.After)
		class := "dr-caution"
		if lifted[l.After] {
			class = "dr-ok"
		}
		c.line("dr-rung", x, 34, x, 98)
		c.circle(class, x, 22, 12)
		c.text("dr-ink num", x, 27, 14, "middle", fmt.Sprint(i+1))
		if l.Disconnect {
			c.text("dr-soft", x, 114, 12, "middle", "disconnect")
		}
	}
	return c.close()
}
