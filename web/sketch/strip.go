package sketch

import (
	"slices"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/core/module/survey"
	"pandrel/draw"
	"pandrel/shop/desk"
	"pandrel/shop/record"
	"pandrel/store"
)

// DriftPicture draws the offsets of a module's surveys over time, "" for fewer than two.
func DriftPicture(l desk.Life) string {
	var d draw.Drift
	for _, s := range slices.Backward(l.Surveys) {
		p := draw.DriftPoint{At: s.TakenAt}
		for _, g := range s.Result.Groups {
			if g.OffsetPct == nil {
				p.Offsets = nil
				break
			}
			p.Offsets = append(p.Offsets, *g.OffsetPct)
		}
		if p.Offsets != nil {
			d.Points = append(d.Points, p)
		}
	}
	if len(d.Points) < 2 {
		return ""
	}
	d.Title = "Offsets of " + l.Module.Number + " over its surveys"
	return d.SVG()
}

// SurveyLadder draws a survey on the layout of its module.
func (sv *Room) SurveyLadder(c *echo.Context, m store.Module, t store.ModuleType, r survey.Result) (string, error) {
	lay, _, err := sv.Shop.Record.LayoutFor(c.Request().Context(), m, t)
	if err != nil {
		return "", err
	}
	return draw.SurveyLadder(r, lay).SVG(), nil
}

// Strip draws the family of a lot, type, bank or module, "" where nothing was surveyed.
func (sv *Room) Strip(c *echo.Context, of string, id int64) (string, error) {
	members, _, err := sv.Shop.Record.FamilyPage(c.Request().Context(), of, id, 1, stripRows)
	if err != nil || len(members) == 0 {
		return "", err
	}
	return DrawStrip(sv.Shop.Here, of, members, draw.Strips), nil
}

// stripRows is how many modules a strip beside other things shows; the page of the strip has the others.
const stripRows = 60

// DrawStrip draws the members of a family, or the surveys of one module: draw.Strips for a page, draw.Strip for a file.
func DrawStrip(here func(time.Time) time.Time, of string, members []record.Member, strip func(string,
	[]draw.StripModule) string) string {
	var mods []draw.StripModule
	for _, m := range members {
		name := m.Number
		if of == "module" {
			name = here(m.TakenAt).Format("02 Jan 15:04")
		}
		mods = append(mods, draw.StripModule{Name: name, Volts: m.Volts, Verdict: string(m.Verdict)})
	}
	if of == "module" {
		return strip("Every survey of "+members[0].Number, mods)
	}
	return strip("Newest survey of every module", mods)
}
