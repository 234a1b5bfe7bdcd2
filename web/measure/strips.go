package measure

import (
	"fmt"
	"net/http"
	"slices"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/survey"
	"pandrel/draw"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/web/frame"
	"pandrel/web/sketch"
)

// stripView is a family as a picture and as a table.
type stripView struct {
	Of       string
	ID       int64
	Name     string
	Back     string
	Strip    string
	DriftPic string
	Members  []record.Member
	Page     kernel.Page
	Groups   []int
	Odd      []string // numbers whose newest survey is not ok
}

func (sv *Room) stripPage(c *echo.Context, id int64) error {
	ctx, of := c.Request().Context(), c.Param("where")
	if !slices.Contains(record.Families, of) {
		return &kernel.NotFound{What: "strip of " + frame.Clip(of, 20)}
	}
	v := stripView{Of: of, ID: id}
	var err error
	if v.Name, err = sv.Shop.Record.FamilyName(ctx, of, id); err != nil {
		return err
	}
	as := frame.Query(c, "as")
	if as == "csv" || as == "xlsx" {
		if v.Members, err = sv.Shop.Record.Family(ctx, of, id); err != nil {
			return err
		}
		return sv.sendFamily(c, v, as)
	}
	if v.Members, v.Page, err = sv.Shop.Record.FamilyPage(ctx, of, id, frame.PageNo(c), record.PageSize); err != nil {
		return err
	}
	v.Back = fmt.Sprintf("/%ss/%d", of, id)
	if of == "module" {
		v.Back = frame.ModulePath(v.Name)
		l, err := sv.Shop.Desk.Life(ctx, v.Name)
		if err != nil {
			return err
		}
		v.DriftPic = sketch.DriftPicture(l)
	}
	if as != "" && len(v.Members) > 0 {
		return sv.sendFamily(c, v, as)
	}
	if len(v.Members) > 0 {
		v.Strip = sketch.DrawStrip(sv.Shop.Here, of, v.Members, draw.Strips)
	}
	groups := 0
	for _, m := range v.Members {
		groups = max(groups, len(m.Volts))
		if m.Verdict != survey.OK && !slices.Contains(v.Odd, m.Number) {
			v.Odd = append(v.Odd, m.Number)
		}
	}
	for g := range groups {
		v.Groups = append(v.Groups, g+1)
	}
	return sv.ShowAt(c, http.StatusOK, "strip", "Family strip, "+v.Name, station.Survey, v)
}

// sendFamily sends a family as a file: CSV and XLSX hold what the import reads again, svg and drift the pictures.
func (sv *Room) sendFamily(c *echo.Context, v stripView, as string) error {
	name := fmt.Sprintf("%s-%d-surveys", v.Of, v.ID)
	switch {
	case as == "drift" && v.DriftPic != "":
		return frame.SendFile(c, fmt.Sprintf("%s-drift.svg", v.Name), "image/svg+xml", []byte(v.DriftPic))
	case as == "svg":
		return frame.SendFile(c, name+".svg", "image/svg+xml", []byte(sketch.DrawStrip(sv.Shop.Here, v.Of,
			v.Members, draw.Strip)))
	}
	header, rows := record.FamilyExport(v.Members)
	return frame.SendTable(c, name, "Surveys", header, rows, as)
}
