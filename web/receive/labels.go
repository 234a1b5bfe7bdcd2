package receive

import (
	"fmt"
	"math"
	"net/http"
	"net/url"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"golang.org/x/sync/errgroup"

	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/draw"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
)

// labelsView is a sheet of stickers for a lot.
type labelsView struct {
	Lot   store.Lot
	Grid  string
	Grids []labelGrid
	Parts string
	Count int // of the whole lot
	Page  kernel.Page
	Query string
	Pages [][]string // the stickers of each sheet
	Test  bool       // what was tested is on them
}

// labelGrid is a common sheet of stickers.
type labelGrid struct {
	Key, Text string
	PerPage   int
}

// labelGrids lists the sheets Pandrel lays out; the sizes are in the styles under the same keys.
var labelGrids = []labelGrid{
	{"a4", "A4, 24 stickers of 66 × 33.8 mm", 24},
	{"letter", "Letter, 30 stickers of 66.7 × 25.4 mm", 30},
	{"single", "single labels of 66 × 25 mm", 1},
}

// labels lays out, some sheets at a time, a sticker for every module of a lot, and one for each removable part named,
// so that a cover or a board goes back where it came from.
func (sv *Room) labels(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	lot, err := sv.Shop.Record.Lot(ctx, id)
	if err != nil {
		return err
	}
	v := labelsView{Lot: lot, Grid: "a4", Grids: labelGrids, Parts: frame.Clip(frame.Query(c, "parts"), 60)}
	perPage := labelGrids[0].PerPage
	for _, g := range labelGrids {
		if g.Key == frame.Query(c, "grid") {
			v.Grid, perPage = g.Key, g.PerPage
		}
	}
	v.Test = frame.Query(c, "kind") == "test"
	if v.Test {
		v.Parts = ""
	}
	parts := append([]string{""}, strings.FieldsFunc(v.Parts, func(r rune) bool { return r == ',' || r == ';' })...)
	// Whole sheets, as many modules as fill them with all their parts.
	size := max(1, labelsShown/perPage*perPage/len(parts))
	rows, page, err := sv.Shop.Record.InLotPage(ctx, id, frame.PageNo(c), size)
	if err != nil {
		return err
	}
	v.Page, v.Count = page, page.Total*len(parts)
	v.Query = url.Values{"grid": {v.Grid}, "parts": {v.Parts},
		"kind": {map[bool]string{true: "test"}[v.Test]}}.Encode() + "&"
	all := make([]string, len(rows)*len(parts))
	var work errgroup.Group // a code takes longer to work out than all the rest of a label
	work.SetLimit(runtime.GOMAXPROCS(0))
	for i := range all {
		r, part := rows[i/len(parts)], strings.TrimSpace(parts[i%len(parts)])
		code := "http://" + c.Request().Host + "/m/" + url.PathEscape(r.Number)
		if v.Test {
			res, err := sv.Shop.Record.CountsFor(ctx, r.Module)
			if err != nil {
				return err
			}
			work.Go(func() (err error) {
				all[i], err = testLabel(sv.Shop.Here, r, res, code).SVG()
				return err
			})
			continue
		}
		work.Go(func() (err error) {
			all[i], err = draw.Label{Number: r.Number, Part: part, Type: r.TypeName, Code: code}.SVG()
			return err
		})
	}
	if err := work.Wait(); err != nil {
		return err
	}
	v.Pages = slices.Collect(slices.Chunk(all, perPage))
	return sv.ShowAt(c, http.StatusOK, "labels", "Labels of "+lot.Supplier, station.Receive, v)
}

// testLabel is what a tested module bears.
func testLabel(at func(time.Time) time.Time, r record.Row, res record.Counts, code string) draw.TestLabel {
	l := draw.TestLabel{Number: r.Number, Type: r.TypeName, Code: code}
	if res.CapacityAh <= 0 {
		return l
	}
	l.Ah, l.Date = fmt.Sprintf("%.1f Ah", res.CapacityAh), at(res.At).Format(time.DateOnly)
	if !res.Complete {
		l.Ah = "at least " + l.Ah
	} else if r.RatedAh > 0 {
		l.SoH = fmt.Sprintf("%.1f %%", math.Floor(res.CapacityAh/r.RatedAh*1000+1e-9)/10) // never above its class
	}
	var parts []string
	if res.Amps > 0 {
		parts = append(parts, fmt.Sprintf("%.3g A", res.Amps))
	}
	if res.TempC != nil {
		parts = append(parts, fmt.Sprintf("%.0f °C", *res.TempC))
	}
	if res.EndVolts > 0 {
		parts = append(parts, fmt.Sprintf("to %.2f V", res.EndVolts))
	}
	if res.ResistanceMOhm > 0 {
		l.Date += fmt.Sprintf("  %.3g mΩ", res.ResistanceMOhm)
	}
	if res.ByHand() {
		parts = append(parts, "typed by hand")
	}
	l.Conditions = strings.Join(parts, ", ")
	if r.Class != "" && r.Class != grade.Open {
		l.Class = strings.ToUpper(string(r.Class))
	}
	return l
}

// labelsShown is how many labels are laid out at once: four sheets, which a printer takes in one go.
const labelsShown = 96

// scanned is the address in a label's code.
func (sv *Room) scanned(c *echo.Context) error {
	m, err := sv.Shop.Module(c.Request().Context(), c.Param("number"))
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, frame.ModulePath(m.Number))
}
