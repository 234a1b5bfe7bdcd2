package measure

import (
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/lead"
	"pandrel/shop/measure"
	"pandrel/store"
	"pandrel/web/frame"
)

type leadsView struct {
	Leads []measure.LeadView
	Types []store.ModuleType // with a layout
	Form  *frame.Form
}

func (sv *Room) leads(c *echo.Context) error {
	return sv.showLeads(c, http.StatusOK, frame.Blank("lead", "by", frame.Who(c)))
}

func (sv *Room) showLeads(c *echo.Context, code int, f *frame.Form) error {
	ctx := c.Request().Context()
	all, err := sv.Shop.Measure.Leads(ctx)
	if err != nil {
		return err
	}
	v := leadsView{Leads: all, Form: f}
	types, err := sv.Shop.Desk.Types(ctx)
	if err != nil {
		return err
	}
	for _, t := range types {
		if t.LayoutID != nil {
			v.Types = append(v.Types, t)
		}
	}
	return sv.ShowAt(c, code, "leads", "Leads", station.Map, v)
}

// saveLead writes a lead down as the layout of its type proposes it.
func (sv *Room) saveLead(c *echo.Context) error {
	return frame.Post(c, "lead", func(f *frame.Form) (frame.Act, error) {
		ctx := c.Request().Context()
		t, err := sv.Shop.Type(ctx, int64(f.Whole("type", 0)))
		if err != nil {
			f.Bads["type"] = "choose the module type it is for"
			return nil, nil
		}
		spec, ok, err := sv.Shop.Measure.ProposeLead(ctx, t)
		if err != nil {
			return nil, err
		}
		if !ok {
			f.Bads["type"] = t.Name + " has no layout yet: map one module of this type first"
		}
		in := measure.LeadInput{Name: f.Get("name"), TypeID: t.ID, Spec: spec, Note: f.Get("note"), Token: f.Once()}
		return func() (string, error) {
			row, err := sv.Shop.Measure.SaveLead(ctx, in)
			return frame.Made("/leads/", row.ID, "/leads", err)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showLeads(c, code, f) })
}

// leadPage is one lead: its wires, and its two checks.
type leadView struct {
	measure.LeadView
	Wires  []wireRow
	Edit   *frame.Form
	Touch  *frame.Form
	Volts  *frame.Form
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

func (sv *Room) lead(c *echo.Context, id int64) error {
	return sv.showLead(c, http.StatusOK, id, nil)
}

// showLead shows a lead; f is a form of it that failed.
func (sv *Room) showLead(c *echo.Context, code int, id int64, f *frame.Form) error {
	a, err := sv.Shop.Measure.LeadByID(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := leadView{LeadView: a, Pins: append(strings.Fields(a.Type.Pins), strings.Fields(a.Type.Posts)...)}
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
	v.Edit = frame.Blank("edit", "by", frame.Who(c), "version", strconv.Itoa(a.Version), "name", a.Name, "note", a.Note)
	for _, w := range v.Wires {
		v.Edit.Values.Set(w.Field, w.Point)
		v.Edit.Values.Set(fmt.Sprintf("m%d", w.Input), w.Mate)
	}
	v.Touch, v.Volts = frame.Blank("touch", "by", frame.Who(c)), frame.Blank("volts", "by", frame.Who(c))
	if f != nil {
		switch f.Kind {
		case "edit":
			v.Edit = f
		case "touch":
			v.Touch = f
		case "volts":
			v.Volts = f
		}
	}
	v.Says, v.Level = leadSays(a)
	return sv.ShowAt(c, code, "lead", "Lead "+a.Name, station.Map, v)
}

func leadSays(a measure.LeadView) (string, string) {
	switch {
	case a.Ready:
		return "Checked: every wire by continuity, every input by voltage. Not checked: its insulation, and " +
			"whether it was changed since.", "ok"
	case a.State() == "stop":
		for _, list := range []*measure.LeadCheck{a.Volts, a.Continuity} {
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

// typedLead reads the wires of a lead from its form.
func typedLead(f *frame.Form, inputs int) lead.Lead {
	a := lead.Lead{Inputs: inputs}
	at := map[string]int{}
	for k := range inputs {
		p := strings.TrimSpace(f.Get(fmt.Sprintf("w%d", k)))
		name := frame.Clip(strings.TrimSpace(f.Get(fmt.Sprintf("m%d", k))), 60)
		if p == "" {
			if name != "" {
				f.Bads["wires"] = fmt.Sprintf("input %d has a mating part and no wire: expected its point, or "+
					"neither", k)
			}
			continue
		}
		a.Wires = append(a.Wires, lead.Wire{Point: p, Input: k})
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

func (sv *Room) changeLead(c *echo.Context, id int64) error {
	return frame.Post(c, "edit", func(f *frame.Form) (frame.Act, error) {
		ctx := c.Request().Context()
		now, err := sv.Shop.Measure.LeadByID(ctx, id)
		if err != nil {
			return nil, err
		}
		in := measure.LeadInput{ID: id, Version: f.Whole("version", 0), Name: f.Get("name"), TypeID: now.TypeID,
			Spec: typedLead(f, now.Spec.Inputs), Note: f.Get("note"), Token: f.Once()}
		return func() (string, error) {
			_, err := sv.Shop.Measure.SaveLead(ctx, in)
			return fmt.Sprintf("/leads/%d", id), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showLead(c, code, id, f)
	})
}

// checkLead keeps a check: by continuity or by voltage.
func (sv *Room) checkLead(c *echo.Context, id int64) error {
	return frame.Post(c, "touch", func(f *frame.Form) (frame.Act, error) {
		ctx := c.Request().Context()
		a, err := sv.Shop.Measure.LeadByID(ctx, id)
		if err != nil {
			return nil, err
		}
		in := measure.LeadCheckInput{ID: id, Kind: f.Get("kind"), Module: f.Get("module"), Token: f.Once()}
		if in.Kind == measure.CheckVolts {
			f.Kind = "volts"
			in.Volts = f.Volts("v", 0, a.Spec.Inputs)
		} else {
			in.Touched = typedTouches(f, a.Spec)
		}
		return func() (string, error) {
			_, err := sv.Shop.Measure.RecordLeadCheck(ctx, in)
			return fmt.Sprintf("/leads/%d", id), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showLead(c, code, id, f)
	})
}

// typedTouches reads which inputs beeped for each wire: numbers with blanks between, a dash for none.
func typedTouches(f *frame.Form, a lead.Lead) []lead.Touch {
	var out []lead.Touch
	for _, w := range a.Wires {
		name := fmt.Sprintf("t%d", w.Input)
		typed := strings.TrimSpace(f.Get(name))
		t := lead.Touch{Point: w.Point}
		if typed == "" {
			f.Bads[name] = "expected the input that beeps, or a dash for none"
			continue
		}
		if typed != "-" && typed != "–" {
			for _, s := range strings.FieldsFunc(typed, func(r rune) bool { return r == ' ' || r == ',' || r == ';' }) {
				n, err := strconv.Atoi(s)
				if err != nil {
					f.Bads[name] = fmt.Sprintf("%q: expected numbers of inputs, such as 3 or 3 4, or a dash",
						frame.Clip(typed, 20))
					break
				}
				t.Inputs = append(t.Inputs, n)
			}
		}
		out = append(out, t)
	}
	return out
}
