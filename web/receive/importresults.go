package receive

import (
	"fmt"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/numeral"
	"pandrel/core/test/kind"
	"pandrel/exchange"
	"pandrel/shop/kernel"
	"pandrel/shop/test"
)

// tryResults turns rows into results typed by hand, and asks the shop what it makes of them; with save it keeps them
// when no row is wrong.
func (sv *Room) tryResults(c *echo.Context, v *importView, g exchange.Grid, columns map[string]int, save bool) (bool,
	error) {
	if columns["capacity_ah"] < 0 {
		return false, kernel.Bad("col_capacity_ah", "say which column holds the amp hours")
	}
	var list []test.TypedInput
	bad := map[int]string{}
	for i := range g.Rows {
		in, wrong := resultOf(g, columns, i)
		if wrong != "" {
			bad[i] = wrong
		}
		in.Checked = v.Form.Get("checked") != ""
		list = append(list, in)
	}
	ctx := c.Request().Context()
	errs, err := sv.Shop.Tests.TryTyped(ctx, list)
	if err != nil {
		return false, err
	}
	for i, e := range errs {
		bad[i] = joined(bad[i], e)
	}
	for i, in := range list {
		row := importRow{Where: g.Where(i), Fields: []string{in.Number, numeral.Text(in.CapacityAh) + " Ah"},
			Error: bad[i]}
		for _, x := range []struct {
			v    float64
			unit string
		}{{in.EnergyWh, "Wh"}, {in.ResistanceMOhm, "mΩ"}, {in.Amps, "A"}, {in.EndVolts, "V in all"},
			{in.LowestEndVolts, "V lowest"}} {
			if x.v != 0 {
				row.Fields = append(row.Fields, numeral.Text(x.v)+" "+x.unit)
			}
		}
		if in.TempC != nil {
			row.Fields = append(row.Fields, numeral.Text(*in.TempC)+" °C")
		}
		if in.FromFull {
			row.Fields = append(row.Fields, "from full")
		}
		if in.FromGroup > 0 {
			row.Fields = append(row.Fields, fmt.Sprintf("groups %d to %d", in.FromGroup, in.ToGroup))
		}
		v.Rows = append(v.Rows, row)
	}
	v.Bad = len(bad)
	if !save || len(bad) > 0 {
		return false, nil
	}
	err = v.Form.Sent(func(token string) (err error) {
		errs, err = sv.Shop.Tests.RecordTypedAll(ctx, list, token)
		return err
	})
	return err == nil && len(errs) == 0, err
}

// resultOf reads one row; wrong says what of it is no number.
func resultOf(g exchange.Grid, columns map[string]int, i int) (in test.TypedInput, wrong string) {
	units := map[string]string{"capacity_ah": "Ah", "energy_wh": "Wh", "resistance_mohm": "mΩ", "amps": "A",
		"end_v": "V", "lowest_v": "V", "temp_c": "°C"}
	number := func(key, what string) float64 {
		s := g.At(i, columns[key])
		if s == "" {
			return 0
		}
		n, err := inUnit(g, columns[key], s, units[key])
		if err != nil {
			wrong = joined(wrong, what+" "+err.Error())
		}
		return n.Value
	}
	in = test.TypedInput{Number: g.At(i, columns["number"]), FromGroup: int(number("from_group",
		"first group")), ToGroup: int(number("to_group", "last group")), Result: kind.Result{Note: g.At(i,
		columns["note"]), CapacityAh: number("capacity_ah", "capacity"), EnergyWh: number("energy_wh",
		"energy"), ResistanceMOhm: number("resistance_mohm", "resistance"), Amps: number("amps", "current"),
		EndVolts: number("end_v", "end volts"), LowestEndVolts: number("lowest_v", "lowest volts")}}
	if g.At(i, columns["temp_c"]) != "" {
		t := number("temp_c", "temperature")
		in.TempC = &t
	}
	switch s := strings.ToLower(g.At(i, columns["from_full"])); s {
	case "", "no", "n", "0", "false":
	case "yes", "y", "1", "true", "x", "full":
		in.FromFull = true
	default:
		wrong = joined(wrong, fmt.Sprintf("began full %.20q: expected yes or no", s))
	}
	return in, wrong
}
