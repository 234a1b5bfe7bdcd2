package web

import (
	"cmp"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"pandrel/core/base/station"
	"pandrel/shop/desk"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/numeral"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/pack"
	"pandrel/draw"
	"pandrel/store"
)

type packsView struct {
	Packs []store.Pack
	Lots  []desk.LotRow
	Form  *form
}

func (sv *Server) packs(c *echo.Context) error {
	return sv.showPacks(c, http.StatusOK, blank("pack", "by", who(c)))
}

func (sv *Server) showPacks(c *echo.Context, code int, f *form) error {
	ctx := c.Request().Context()
	ps, err := sv.s.Procedure.Packs(ctx)
	if err != nil {
		return err
	}
	lots, err := sv.s.Desk.Lots(ctx)
	if err != nil {
		return err
	}
	return sv.showAt(c, code, "packs", "Packs", station.Receive, packsView{ps, lots, f})
}

// list reads numbers separated by blanks or lines; a decimal comma is a decimal comma. A form n × v
// stands for n times v.
func list(f *form, name string) []float64 {
	var out []float64
	fields := strings.FieldsFunc(f.Get(name), func(r rune) bool { return r == ' ' || r == '\n' || r == '\r' || r == ';' || r == '\t' })
	for i, s := range fields {
		times := 1
		if n, v, ok := strings.Cut(s, "×"); ok {
			k, err := strconv.Atoi(n)
			if err != nil || k < 1 || k > 200 {
				f.errs[name] = fmt.Sprintf("value %d, %q: expected such as 12×25,9", i+1, clip(s, 20))
				return nil
			}
			times, s = k, v
		}
		x, err := numeral.Parse(s)
		if err != nil {
			f.errs[name] = fmt.Sprintf("value %d: %v", i+1, err)
			return nil
		}
		for range times {
			out = append(out, x.Value)
		}
	}
	return out
}

func (sv *Server) savePack(c *echo.Context) error {
	f, err := read(c, "pack")
	if err != nil {
		return err
	}
	in := procedure.PackInput{Name: f.Get("name"), LotID: int64(f.whole("lot", 0)), Note: f.Get("note"), By: f.Get("by"), Token: f.once(),
		Pack: pack.Pack{Volts: list(f, "volts"), DisconnectAfter: f.whole("disconnect", 0), WetPlace: f.Get("wet") != ""}}
	for _, x := range list(f, "fixed") {
		in.Pack.Fixed = append(in.Pack.Fixed, int(x))
	}
	if !f.Bad() {
		p, err := sv.s.Procedure.SavePack(c.Request().Context(), in)
		if err == nil {
			return saved(c, f, fmt.Sprintf("/packs/%d", p.ID))
		}
		if again(err) {
			return c.Redirect(http.StatusSeeOther, "/packs")
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showPacks(c, http.StatusUnprocessableEntity, f)
}

// packView is one pack: plan, picture, steps.
type packView struct {
	procedure.PackView
	Picture   string
	Judgement string
	Level     string
	Form      *form
	Next      *gates.State // the step whose form is shown, nil when all is done
	Open      string       // its key
	Side      *form        // the reading that tells where the disconnect sits
	Located   string
	Types     []store.ModuleType
	Take      *form // its modules, once it is split
}

func (sv *Server) pack(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showPack(c, http.StatusOK, id, blank("step", "by", who(c)), nil)
}

func (sv *Server) showPack(c *echo.Context, code int, id int64, f, take *form) error {
	pv, err := sv.s.Procedure.PackByID(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := packView{PackView: pv, Form: f}
	lifted := map[int]bool{}
	for _, st := range pv.States {
		if at := pack.LiftAfter(st.Key); at > 0 && st.Done {
			lifted[at] = true
		}
	}
	if v.Next = gates.Next(pv.States, cmp.Or(c.QueryParam("step"), f.Get("step"))); v.Next != nil {
		v.Open = v.Next.Key
	}
	if len(pv.Places) > 0 {
		v.Side = &form{name: "side", values: c.QueryParams(), errs: map[string]string{}}
		if v.Side.Get("side_v") != "" {
			if volts := v.Side.num("side_v"); !v.Side.Bad() {
				got, err := sv.s.Procedure.LocateDisconnect(c.Request().Context(), id, volts)
				if err != nil {
					if err := v.Side.take(err); err != nil {
						return err
					}
				}
				v.Located = locatedText(volts, got)
			}
		}
	}
	if v.Open == "" {
		if v.Types, err = sv.s.Desk.Types(c.Request().Context()); err != nil {
			return err
		}
		if v.Take = take; take == nil {
			v.Take = blank("take", "by", who(c), "count", strconv.Itoa(len(pv.Volts)))
		}
	}
	v.Picture = draw.Pack("Pack "+pv.Pack.Name, pv.Volts, pv.Plan, lifted)
	v.Judgement, v.Level = packSentence(v)
	return sv.showAt(c, code, "pack", "Pack "+pv.Pack.Name, station.Receive, v)
}

// locatedText says where a reading puts the disconnect.
func locatedText(volts float64, places []pack.Place) string {
	switch len(places) {
	case 0:
		return fmt.Sprintf("%.1f V fits no bridge: another one is open, the disconnect sits at an end, or the list of modules is wrong. Do not lift anything.", volts)
	case 1:
		return fmt.Sprintf("%.1f V: the disconnect sits after module %d. Write the pack down again with it: the plan gets shorter.", volts, places[0].After)
	}
	var at []string
	for _, p := range places {
		at = append(at, strconv.Itoa(p.After))
	}
	return fmt.Sprintf("%.1f V: after module %s. Measure from the main positive too.", volts, strings.Join(at, " or "))
}

func packSentence(v packView) (string, string) {
	for _, st := range v.States {
		if st.Failed {
			return fmt.Sprintf("Stop: '%s' did not pass.", st.Title), "stop"
		}
	}
	if v.Open == "" {
		return "Split: every step is recorded. Give its modules their numbers below.", "ok"
	}
	if v.Plan.WholeVolts <= v.Plan.LimitVolts {
		return fmt.Sprintf("%.1f V: below %.0f V, nothing needs to be lifted for the voltage.", v.Plan.WholeVolts, v.Plan.LimitVolts), "ready"
	}
	if !v.Plan.Reached {
		return v.Plan.Findings[len(v.Plan.Findings)-1].Text, "stop"
	}
	lifts := fmt.Sprintf("%d lifts bring", len(v.Plan.Lifts))
	if len(v.Plan.Lifts) == 1 {
		lifts = "One lift brings"
	}
	return fmt.Sprintf("%.1f V. %s every piece to %.1f V or less.", v.Plan.WholeVolts, lifts, v.Plan.Lifts[len(v.Plan.Lifts)-1].LargestVolts), "stop"
}

func (sv *Server) savePackStep(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "step")
	if err != nil {
		return err
	}
	in := f.step()
	if !f.Bad() {
		_, err := sv.s.Procedure.RecordPackStep(c.Request().Context(), id, in)
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/packs/%d", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showPack(c, http.StatusUnprocessableEntity, id, f, nil)
}

// takeModules receives what was taken out of a split pack, into the pack's lot.
func (sv *Server) takeModules(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "take")
	if err != nil {
		return err
	}
	in := receive.ModulesInput{TypeID: int64(f.whole("type", 0)), First: f.Get("first"), Count: f.whole("count", 1), History: f.Get("history"), By: f.Get("by"), Token: f.once()}
	if !f.Bad() {
		lot, err := sv.s.Procedure.ReceiveFromPack(c.Request().Context(), id, in)
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/lots/%d", lot))
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showPack(c, http.StatusUnprocessableEntity, id, blank("step", "by", who(c)), f)
}
