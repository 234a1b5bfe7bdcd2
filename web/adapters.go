package web

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"pandrel/core/base/station"
	"pandrel/shop/measure"

	"github.com/labstack/echo/v5"

	"pandrel/core/module/lead"
	"pandrel/store"
)

type adaptersView struct {
	Adapters []measure.AdapterView
	Types    []store.ModuleType // with a layout
	Form     *form
}

func (sv *Server) adapters(c *echo.Context) error {
	return sv.showAdapters(c, http.StatusOK, blank("adapter", "by", who(c)))
}

func (sv *Server) showAdapters(c *echo.Context, code int, f *form) error {
	ctx := c.Request().Context()
	all, err := sv.s.Measure.Adapters(ctx)
	if err != nil {
		return err
	}
	v := adaptersView{Adapters: all, Form: f}
	types, err := sv.s.Desk.Types(ctx)
	if err != nil {
		return err
	}
	for _, t := range types {
		if t.LayoutID != nil {
			v.Types = append(v.Types, t)
		}
	}
	return sv.showAt(c, code, "adapters", "Adapter leads", station.Map, v)
}

// saveAdapter writes a lead down as the layout of its type proposes it.
func (sv *Server) saveAdapter(c *echo.Context) error {
	f, err := read(c, "adapter")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	t, err := sv.s.Type(ctx, int64(f.whole("type", 0)))
	if err != nil {
		f.errs["type"] = "choose the module type it is for"
		return sv.showAdapters(c, http.StatusUnprocessableEntity, f)
	}
	spec, ok, err := sv.s.Measure.ProposeAdapter(ctx, t)
	if err != nil {
		return err
	}
	if !ok {
		f.errs["type"] = t.Name + " has no layout yet: map one module of this type first"
	}
	if !f.Bad() {
		row, err := sv.s.Measure.SaveAdapter(ctx, measure.AdapterInput{Name: f.Get("name"), TypeID: t.ID, Spec: spec, Note: f.Get("note"), By: f.Get("by"), Token: f.once()})
		if err == nil {
			return saved(c, f, fmt.Sprintf("/adapters/%d", row.ID))
		}
		if again(err) {
			return c.Redirect(http.StatusSeeOther, "/adapters")
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showAdapters(c, http.StatusUnprocessableEntity, f)
}

// adapterView is one lead: its wires, and its two checks.
type adapterView struct {
	measure.AdapterView
	Wires  []wireRow
	Edit   *form
	Touch  *form
	Volts  *form
	Says   string
	Level  string
	Pins   []string
	MateAs string
}

type wireRow struct {
	Input int
	Point string
	Mate  string
	Field string
}

func (sv *Server) adapter(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showAdapter(c, http.StatusOK, id, nil)
}

// showAdapter shows a lead; f is a form of it that failed.
func (sv *Server) showAdapter(c *echo.Context, code int, id int64, f *form) error {
	a, err := sv.s.Measure.AdapterByID(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := adapterView{AdapterView: a, Pins: append(strings.Fields(a.Type.Pins), strings.Fields(a.Type.Posts)...)}
	mate := map[string]string{}
	for _, m := range a.Spec.Mates {
		for _, p := range m.Points {
			mate[p] = m.Name
		}
	}
	byInput := map[int]string{}
	for _, w := range a.Spec.Wires {
		byInput[w.Input] = w.Point
	}
	for k := range a.Spec.Inputs {
		v.Wires = append(v.Wires, wireRow{k, byInput[k], mate[byInput[k]], fmt.Sprintf("w%d", k)})
	}
	v.Edit = blank("edit", "by", who(c), "version", strconv.Itoa(a.Version), "name", a.Name, "note", a.Note)
	for _, w := range v.Wires {
		v.Edit.values.Set(w.Field, w.Point)
		v.Edit.values.Set(fmt.Sprintf("m%d", w.Input), w.Mate)
	}
	v.Touch, v.Volts = blank("touch", "by", who(c)), blank("volts", "by", who(c))
	if f != nil {
		switch f.name {
		case "edit":
			v.Edit = f
		case "touch":
			v.Touch = f
		case "volts":
			v.Volts = f
		}
	}
	v.Says, v.Level = adapterSays(a)
	return sv.showAt(c, code, "adapter", "Lead "+a.Name, station.Map, v)
}

func adapterSays(a measure.AdapterView) (string, string) {
	switch {
	case a.Ready:
		return "Checked: every wire by continuity, every input by voltage. Not checked: its insulation, and whether it was changed since.", "ok"
	case a.State() == "stop":
		for _, list := range []*measure.AdapterCheck{a.Volts, a.Continuity} {
			if list != nil && !list.OK {
				return "Do not plug it in. " + list.Found[0].Text + " " + list.Found[0].Do, "stop"
			}
		}
		return "Do not plug it in. " + a.Design[0].Text + " " + a.Design[0].Do, "stop"
	case a.Continuity == nil:
		return "Not checked yet: do not plug it in. First by continuity, with nothing plugged in.", "caution"
	}
	return "Every wire is where it should be. Now by voltage: module plugged in, instrument not.", "caution"
}

// typedAdapter reads the wires of a lead from its form.
func typedAdapter(f *form, inputs int) lead.Adapter {
	a := lead.Adapter{Inputs: inputs}
	at := map[string]int{}
	for k := range inputs {
		p := strings.TrimSpace(f.Get(fmt.Sprintf("w%d", k)))
		if p == "" {
			continue
		}
		a.Wires = append(a.Wires, lead.Wire{Point: p, Input: k})
		name := clip(strings.TrimSpace(f.Get(fmt.Sprintf("m%d", k))), 60)
		if name == "" {
			name = "connector"
		}
		i, ok := at[name]
		if !ok {
			i = len(a.Mates)
			at[name] = i
			a.Mates = append(a.Mates, lead.Mate{Name: name, Clip: strings.Contains(strings.ToLower(name), "clip")})
		}
		if !slices.Contains(a.Mates[i].Points, p) {
			a.Mates[i].Points = append(a.Mates[i].Points, p)
		}
	}
	return a
}

func (sv *Server) changeAdapter(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "edit")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	now, err := sv.s.Measure.AdapterByID(ctx, id)
	if err != nil {
		return err
	}
	in := measure.AdapterInput{ID: id, Version: f.whole("version", 0), Name: f.Get("name"), TypeID: now.TypeID, Spec: typedAdapter(f, now.Spec.Inputs), Note: f.Get("note"), By: f.Get("by"), Token: f.once()}
	if !f.Bad() {
		_, err := sv.s.Measure.SaveAdapter(ctx, in)
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/adapters/%d", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showAdapter(c, http.StatusUnprocessableEntity, id, f)
}

// checkAdapter keeps a check: by continuity or by voltage.
func (sv *Server) checkAdapter(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "touch")
	if err != nil {
		return err
	}
	ctx := c.Request().Context()
	a, err := sv.s.Measure.AdapterByID(ctx, id)
	if err != nil {
		return err
	}
	in := measure.AdapterCheckInput{ID: id, Kind: f.Get("kind"), Module: f.Get("module"), By: f.Get("by"), Token: f.once()}
	if in.Kind == measure.CheckVolts {
		f.name = "volts"
		in.Volts = f.volts("v", 0, a.Spec.Inputs)
	} else {
		in.Touched = typedTouches(f, a.Spec)
	}
	if !f.Bad() {
		_, err := sv.s.Measure.RecordAdapterCheck(ctx, in)
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/adapters/%d", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showAdapter(c, http.StatusUnprocessableEntity, id, f)
}

// typedTouches reads which inputs beeped for each wire: numbers with blanks between, a dash for none.
func typedTouches(f *form, a lead.Adapter) []lead.Touch {
	var out []lead.Touch
	for _, w := range a.Wires {
		name := fmt.Sprintf("t%d", w.Input)
		typed := strings.TrimSpace(f.Get(name))
		t := lead.Touch{Point: w.Point}
		if typed == "" {
			f.errs[name] = "expected the input that beeps, or a dash for none"
			continue
		}
		if typed != "-" && typed != "–" {
			for _, s := range strings.FieldsFunc(typed, func(r rune) bool { return r == ' ' || r == ',' || r == ';' }) {
				n, err := strconv.Atoi(s)
				if err != nil {
					f.errs[name] = fmt.Sprintf("%q: expected numbers of inputs, such as 3 or 3 4, or a dash", clip(typed, 20))
					break
				}
				t.Inputs = append(t.Inputs, n)
			}
		}
		out = append(out, t)
	}
	return out
}
