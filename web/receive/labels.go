package receive

import (
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/draw"
	"pandrel/store"
	"pandrel/web/frame"
)

// labelsView is a sheet of stickers for a lot.
type labelsView struct {
	Lot   store.Lot
	Grid  string
	Grids []labelGrid
	Parts string
	Count int
	Pages [][]string // the stickers of each sheet
}

// labelGrid is a common sheet of stickers.
type labelGrid struct {
	Key, Text string
	PerPage   int
}

// labelGrids lists the sheets Pandrel lays out; the sizes are in app.css under the same keys.
var labelGrids = []labelGrid{
	{"a4", "A4, 24 stickers of 66 × 33.8 mm", 24},
	{"letter", "Letter, 30 stickers of 66.7 × 25.4 mm", 30},
	{"single", "single labels of 66 × 25 mm", 1},
}

// labels lays out a sticker for every module of a lot, and one more for each removable part named,
// so that a cover or a board goes back where it came from.
func (sv *Room) labels(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	lot, err := sv.Shop.Record.Lot(ctx, id)
	if err != nil {
		return err
	}
	rows, err := sv.Shop.Record.InLot(ctx, id)
	if err != nil {
		return err
	}
	v := labelsView{Lot: lot, Grid: "a4", Grids: labelGrids, Parts: frame.Clip(c.QueryParam("parts"), 60)}
	perPage := labelGrids[0].PerPage
	for _, g := range labelGrids {
		if g.Key == c.QueryParam("grid") {
			v.Grid, perPage = g.Key, g.PerPage
		}
	}
	var all []string
	parts := append([]string{""}, strings.FieldsFunc(v.Parts, func(r rune) bool { return r == ',' || r == ';' })...)
	for _, r := range rows {
		for _, p := range parts {
			svg, err := draw.Label{Number: r.Number, Part: strings.TrimSpace(p), Type: r.TypeName,
				Code: "http://" + c.Request().Host + "/m/" + url.PathEscape(r.Number)}.SVG()
			if err != nil {
				return err
			}
			all = append(all, svg)
		}
	}
	v.Count = len(all)
	v.Pages = slices.Collect(slices.Chunk(all, perPage))
	return sv.ShowAt(c, http.StatusOK, "labels", "Labels of "+lot.Supplier, station.Receive, v)
}

// scanned is the address in a label's code.
func (sv *Room) scanned(c *echo.Context) error {
	m, err := sv.Shop.Module(c.Request().Context(), c.Param("number"))
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, frame.ModulePath(m.Number))
}
