package main

import (
	"fmt"
	"io"

	"github.com/spf13/cobra"

	"pandrel/core/bank/floor"
	"pandrel/core/base/numeral"
	"pandrel/draw"
)

// drawn is what the command says of a drawing.
type drawn struct {
	floor.Tells
	Volts    map[string]float64 `json:"volts"`
	Reach    map[string]float64 `json:"within_reach"`
	Marks    []floor.Mark       `json:"marks"`
	Parts    []floor.Item       `json:"parts"`
	Leads    []floor.Lead       `json:"leads"`
	Findings any                `json:"findings"`
}

func drawCmd() *cobra.Command {
	var asSVG, asJSON bool
	c := &cobra.Command{Use: "draw FILE.json", Short: "Judge a drawing of a bank, list its parts and leads, or draw it",
		Args: cobra.ExactArgs(1), RunE: func(c *cobra.Command, args []string) error {
			data, err := load(args[0])
			if err != nil {
				return err
			}
			d, units, err := floor.Read(data)
			if err != nil {
				return in(args[0], err)
			}
			s, err := floor.Judge(d, units)
			if err != nil {
				return in(args[0], err)
			}
			if asSVG {
				_, err := io.WriteString(c.OutOrStdout(), draw.Floor{Title: args[0], State: s, Units: units}.SVG())
				return err
			}
			out := drawn{s.Tells, s.Volts, s.Reach, s.Marks, s.Parts(units), s.Leads(units), s.Findings}
			return answer(c, asJSON, out, s.Findings, func(w io.Writer) {
				fmt.Fprintf(w, "%s in series, %d in parallel, %s, full %s\n", numeral.Count(s.Tells.Series, "group"),
					s.Tells.Parallel, s.Tells.Ah.Text(1, "Ah"), s.Tells.FullV.Text(1, "V"))
				fmt.Fprintln(w, "checked: what the command wiring checks, what lies on what, what shelves bear")
				fmt.Fprintln(w, "not checked: whatever is not drawn")
				for _, i := range out.Parts {
					fmt.Fprintf(w, "  %3d  %-24s %s%s for %s\n", i.Count, i.What, i.Detail, lengthText(i), i.For)
				}
				for _, l := range out.Leads {
					fmt.Fprintf(w, "  %s input %2d  %-12s %-7s %s\n", l.BMS, l.Input, l.Point, l.Colour,
						l.Length.Text(0, "mm"))
				}
			})
		}}
	c.Flags().BoolVar(&asSVG, "svg", false, "print the drawing as SVG")
	c.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return c
}

func lengthText(i floor.Item) string {
	if !i.Length.Is() {
		return ""
	}
	return ", " + i.Length.Text(0, "mm")
}
