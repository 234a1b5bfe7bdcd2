package module

import (
	"bytes"
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/draw"
	"pandrel/shop/desk"
	"pandrel/shop/record"
	"pandrel/web/frame"
)

// dataSheetView is a module on one printed page.
type dataSheetView struct {
	desk.DataSheet
	Picture string // of the log that counts
	Label   string // its code, to be read by a phone
	Says    string
	Level   string
}

// dataSheet is what goes with a module to whoever takes it: a page to print, or JSON, CSV or XLSX.
func (sv *Room) dataSheet(c *echo.Context) error {
	d, l, err := sv.Shop.Desk.DataSheet(c.Request().Context(), c.Param("number"))
	if err != nil {
		return err
	}
	switch as := frame.Query(c, "as"); as {
	case "json":
		var b bytes.Buffer
		e := json.NewEncoder(&b)
		e.SetIndent("", "  ")
		if err := e.Encode(d); err != nil {
			return err
		}
		return frame.SendFile(c, d.Number+".json", "application/json", b.Bytes())
	case "csv", "xlsx":
		header, row := flat(d)
		return frame.SendTable(c, d.Number, "Module", header, [][]any{row}, as)
	}
	v := dataSheetView{DataSheet: d}
	v.Says, v.Level = judgement(l, nil)
	label := draw.Label{Number: d.Number, Type: d.Type, Code: "http://" + c.Request().Host + "/m/" +
		url.PathEscape(d.Number)}
	if v.Label, err = label.SVG(); err != nil {
		return err
	}
	for _, t := range l.Logs {
		if k := t.Result.Capacity; k != nil && d.Capacity != nil && k.Ah == d.Capacity.Ah {
			t.Thin.First = t.First()
			v.Picture = draw.Trace("Log "+t.FileName, t.Thin, t.Series(d.Series),
				frame.Limiting(t.Result.LimitingGroup))
			break
		}
	}
	return sv.ShowAt(c, http.StatusOK, "datasheet", "Data sheet of "+d.Number, l.Module.Station, v)
}

// flat is a data sheet as one line of a table.
func flat(d desk.DataSheet) (header []string, row []any) {
	add := func(name string, x any) { header, row = append(header, name), append(row, x) }
	add("number", d.Number)
	add("type", d.Type)
	add("chemistry", string(d.Chemistry))
	add("groups", record.Told(float64(d.Series)))
	add("rated_ah", record.Told(d.RatedAh))
	add("class", string(d.Class))
	add("fitness", string(d.Fitness))
	var soh any = ""
	if d.SoHPct != nil {
		soh = *d.SoHPct
	}
	add("soh_pct", soh)
	c, complete, byHand := d.Capacity, "", ""
	if c != nil {
		complete, byHand = fmt.Sprint(c.Complete), fmt.Sprint(c.ByHand)
	} else {
		c = &desk.SheetCapacity{}
	}
	var temp any = ""
	if c.TempC != nil {
		temp = *c.TempC
	}
	add("capacity_ah", record.Told(c.Ah))
	add("uncertainty_ah", record.Told(c.UncertaintyAh))
	add("complete", complete)
	add("by_hand", byHand)
	add("energy_wh", record.Told(c.EnergyWh))
	add("amps", record.Told(c.Amps))
	add("temp_c", temp)
	add("end_v", record.Told(c.EndVolts))
	add("resistance_mohm", record.Told(d.ResistanceMO))
	var reasons []string
	for _, r := range d.Reasons {
		reasons = append(reasons, r.Text)
	}
	add("reasons", strings.Join(reasons, " "))
	add("rules_version", d.RulesVersion)
	return header, row
}

// toType leads on to the type of a module: who stands before a judgement of the module knows its number alone.
func (sv *Room) toType(c *echo.Context) error {
	m, err := sv.Shop.Module(c.Request().Context(), c.Param("number"))
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, fmt.Sprintf("/types/%d#bears", m.TypeID))
}
