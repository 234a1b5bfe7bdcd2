package web

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"mime"
	"net/http"
	"slices"

	"pandrel/core/base/station"
	"pandrel/shop/kernel"
	"pandrel/shop/record"

	"github.com/labstack/echo/v5"

	"pandrel/draw"
	"pandrel/exchange"
)

// strip draws the family of a lot, type, bank or module, "" where nothing was surveyed.
func (sv *Server) strip(c *echo.Context, of string, id int64) (string, error) {
	members, err := sv.s.Record.Family(c.Request().Context(), of, id)
	if err != nil || len(members) == 0 {
		return "", err
	}
	return drawStrip(of, members), nil
}

func drawStrip(of string, members []record.Member) string {
	var mods []draw.StripModule
	for _, m := range members {
		name := m.Number
		if of == "module" {
			name = m.TakenAt.Format("02 Jan 15:04")
		}
		mods = append(mods, draw.StripModule{Name: name, Volts: m.Volts, Verdict: string(m.Verdict)})
	}
	if of == "module" {
		return draw.Strip("Every survey of "+members[0].Number, mods)
	}
	return draw.Strip("Newest survey of every module", mods)
}

// stripView is a family as a picture and as a table.
type stripView struct {
	Of       string
	ID       int64
	Name     string
	Back     string
	Strip    string
	DriftPic string
	Members  []record.Member
	Groups   []int
	Odd      []string // numbers whose newest survey is not ok
}

func (sv *Server) stripPage(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	ctx, of := c.Request().Context(), c.Param("where")
	if !slices.Contains(record.Families, of) {
		return &kernel.NotFound{What: "strip of " + clip(of, 20)}
	}
	v := stripView{Of: of, ID: id}
	if v.Name, err = sv.s.Record.FamilyName(ctx, of, id); err != nil {
		return err
	}
	if v.Members, err = sv.s.Record.Family(ctx, of, id); err != nil {
		return err
	}
	v.Back = fmt.Sprintf("/%ss/%d", of, id)
	if of == "module" {
		v.Back = "/modules/" + v.Name
		l, err := sv.s.Desk.Life(ctx, v.Name)
		if err != nil {
			return err
		}
		v.DriftPic = driftPicture(l)
	}
	if as := c.QueryParam("as"); as != "" && len(v.Members) > 0 {
		return sendFamily(c, v, as)
	}
	if len(v.Members) > 0 {
		v.Strip = drawStrip(of, v.Members)
	}
	groups := 0
	for _, m := range v.Members {
		groups = max(groups, len(m.Volts))
		if m.Verdict != "ok" && !slices.Contains(v.Odd, m.Number) {
			v.Odd = append(v.Odd, m.Number)
		}
	}
	for g := range groups {
		v.Groups = append(v.Groups, g+1)
	}
	return sv.showAt(c, http.StatusOK, "strip", "Family strip, "+v.Name, station.Survey, v)
}

// sendFamily sends a family as a file: CSV and XLSX hold what the import reads again, svg and drift the pictures.
func sendFamily(c *echo.Context, v stripView, as string) error {
	name := fmt.Sprintf("%s-%d-surveys", v.Of, v.ID)
	switch {
	case as == "drift" && v.DriftPic != "":
		return sendFile(c, fmt.Sprintf("%s-drift.svg", v.Name), "image/svg+xml", []byte(v.DriftPic))
	case as == "svg":
		return sendFile(c, name+".svg", "image/svg+xml", []byte(drawStrip(v.Of, v.Members)))
	}
	header, rows := record.FamilyExport(v.Members)
	return sendTable(c, name, "Surveys", header, rows, as)
}

// sendTable sends a table as XLSX, or as CSV.
func sendTable(c *echo.Context, name, sheet string, header []string, rows [][]any, as string) error {
	var b bytes.Buffer
	if as == "xlsx" {
		if err := exchange.WriteSheet(&b, sheet, header, rows); err != nil {
			return err
		}
		return sendFile(c, name+".xlsx", "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", b.Bytes())
	}
	w := csv.NewWriter(&b)
	_ = w.Write(header) // into memory: cannot fail
	for _, r := range rows {
		line := make([]string, len(r))
		for i, x := range r {
			line[i] = fmt.Sprint(x)
		}
		_ = w.Write(line)
	}
	w.Flush()
	return sendFile(c, name+".csv", "text/csv; charset=utf-8", b.Bytes())
}

func sendFile(c *echo.Context, name, kind string, data []byte) error {
	c.Response().Header().Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": name}))
	return c.Blob(http.StatusOK, kind, data)
}
