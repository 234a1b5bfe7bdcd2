package measure

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/whole"
	"pandrel/core/base/station"
	"pandrel/core/module/face"
	"pandrel/core/module/layout"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/draw"
	"pandrel/shop/desk"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
	"pandrel/web/sketch"
)

// surveyView is the bench screen: one field for each group in order.
type surveyView struct {
	Module   store.Module
	Type     store.ModuleType
	Form     *frame.Form
	Groups   []groupField
	Result   *survey.Result
	Ladder   string
	Monitor  bool
	Guide    string // the layout, until something is typed
	Left     int
	Flags    []flagView
	Face     sketch.FaceView
	Pallet   desk.Pallet
	Leads    []string       // leads for this type that passed their checks
	NotLeads []string       // and those that must not be plugged in
	Screen   *store.Picture // the instrument's screen to type from
	Shot     *frame.Form    // for a picture of an instrument's screen
	Twice    []string       // modules for which this very picture was sent too
	OwnCurve string         // the source of the type's own rest curve, "" for the typical one

	layout layout.Map
}

// flagView is a reading that does not belong to the family so far.
type flagView struct {
	Group       int
	Field, Text string
	Offer       string // the reading with its decimal point put right, "" for none
	Unread      bool   // what was typed is no number
}

type groupField struct {
	Group          int
	Name, Value    string
	Error          string
	Negative, Plus string
	Red, Black     string // where the probes go, "" where the group has no tap there
	Side           string // where the red probe goes from the black one
	Turns          bool   // it goes the other way than for the group before
	Offer          string
	Verdict        string
}

func (sv *Room) survey(c *echo.Context) error {
	f := frame.Blank("survey", "by", frame.Who(c), "instrument", cmp.Or(frame.Last(c, "instrument"),
		"bench multimeter"), "accuracy_mv", cmp.Or(frame.Last(c, "accuracy_mv"), "4"))
	if frame.Cookie(c, "pandrel_alone") == passage.Alone {
		f.Values.Set("alone", passage.Alone)
	}
	return sv.ShowSurvey(c, http.StatusOK, f)
}

func (sv *Room) ShowSurvey(c *echo.Context, code int, f *frame.Form) error {
	v, err := sv.surveyPage(c, f)
	if err != nil {
		return err
	}
	return sv.ShowAt(c, code, "survey", "Survey "+v.Module.Number, station.Survey, v)
}

// surveyPage is the whole page with what is typed so far.
func (sv *Room) surveyPage(c *echo.Context, f *frame.Form) (surveyView, error) {
	v, err := sv.surveySoFar(c, f)
	if err != nil {
		return v, err
	}
	lie := sv.Sketch.Lying(c, v.Type)
	for i := range v.Groups {
		v.side(i, lie)
	}
	return v, sv.surveyAround(c, &v)
}

// surveySoFar judges what is typed so far, without saving: what a live answer shows, and nothing else.
func (sv *Room) surveySoFar(c *echo.Context, f *frame.Form) (surveyView, error) {
	ctx := c.Request().Context()
	m, t, err := sv.ModuleOf(c)
	if err != nil {
		return surveyView{}, err
	}
	lay, _, err := sv.Shop.Record.LayoutFor(ctx, m, t)
	if err != nil {
		return surveyView{}, err
	}
	v := surveyView{Module: m, Type: t, Form: f, Left: lay.Series, layout: lay}
	for i := 1; i <= lay.Series; i++ {
		name := fmt.Sprintf("g%d", i)
		g := groupField{Group: i, Name: name, Value: f.Get(name), Error: f.Bads[name]}
		g.Negative, g.Plus = strings.Join(lay.Groups[i-1].Negative, " "), strings.Join(lay.Groups[i-1].Positive, " ")
		g.Red, g.Black = first(lay.Groups[i-1].Positive), first(lay.Groups[i-1].Negative)
		v.Groups = append(v.Groups, g)
	}
	trial := &frame.Form{Values: f.Values, Bads: map[string]string{}}
	typed := sv.surveyInput(c, trial, lay.Series)
	for _, g := range v.Groups {
		if why := trial.Bads[g.Name]; why != "" && strings.TrimSpace(g.Value) != "" && g.Error == "" {
			v.Flags = append(v.Flags, flagView{Group: g.Group, Field: "f-" + g.Name, Text: why, Unread: true})
		}
	}
	for _, r := range typed.Readings {
		v.Left -= max(1, r.Span)
	}
	r, ok := sv.Shop.Measure.TrySurvey(ctx, m, t, lay.Series, typed)
	if !ok {
		v.Guide = draw.MapLadder("Layout of "+t.Name, lay).SVG()
		return v, nil
	}
	v.Result, v.Flags = &r, append(v.Flags, flags(r)...)
	for _, g := range r.Groups {
		k := g.Group - 1
		v.Groups[k].Verdict = string(g.Verdict)
		offered := func(x flagView) bool { return x.Group == g.Group && x.Offer != "" }
		if g.Offer != nil && !slices.ContainsFunc(v.Flags, offered) {
			v.Groups[k].Offer = fmt.Sprintf("%.3f", *g.Offer)
		}
	}
	if v.Left == 0 {
		v.Ladder = draw.SurveyLadder(r, lay).SVG()
	} else {
		v.Ladder = draw.PartLadder("Survey so far on the layout of "+t.Name, lay, r).SVG()
	}
	return v, nil
}

// first is one of several points at one potential.
func first(points []string) string {
	if len(points) == 0 {
		return ""
	}
	return points[0]
}

// surveyInput reads a sitting. Groups that were read together because a tap is broken are one reading, with its reason.
func (sv *Room) surveyInput(c *echo.Context, f *frame.Form, series int) measure.SurveyInput {
	in := measure.SurveyInput{Number: c.Param("number"), Instrument: f.Get("instrument"),
		AccuracyVolts: f.Opt("accuracy_mv", 0) / 1000, RestMinutes: f.Opt("rest_min", -1), TempC: f.Maybe("temp_c"),
		PictureID: int64(f.Whole("picture", 0)), Token: f.Once()}
	from, to := f.Whole("span_from", 0), f.Whole("span_to", 0)
	spanned := func(g int) bool { return from > 0 && g >= from && g <= to }
	switch {
	case from == 0 && to == 0 && strings.TrimSpace(f.Get("span_v")) != "":
		f.Bads["span_from"] = "expected the first group of those read together"
	case from == 0 && to == 0:
	case from < 1 || to <= from || to > series:
		f.Bads["span_to"] = fmt.Sprintf("groups %d to %d: expected neighbours from 1 to %d", from, to, series)
		from = 0
	}
	for g := 1; g <= series; g++ {
		switch {
		case !spanned(g):
			in.Readings = append(in.Readings, f.Volts("g", g, 1)...)
		case strings.TrimSpace(f.Get(fmt.Sprintf("g%d", g))) != "":
			f.Bads[fmt.Sprintf("g%d", g)] = "read together with its neighbours below: leave this empty"
		case g == from:
			f.Values.Set(fmt.Sprintf("span_v%d", from), f.Get("span_v"))
			got := f.Volts("span_v", from, 1)
			if e := f.Bads[fmt.Sprintf("span_v%d", from)]; e != "" {
				f.Bads["span_v"] = e
			}
			for _, v := range got {
				v.Span, v.Reason = to-from+1, strings.TrimSpace(f.Get("span_reason"))
				in.Readings = append(in.Readings, v)
			}
		}
	}
	if text := f.Get("taken_at"); text != "" {
		at, err := time.ParseInLocation("2006-01-02T15:04", text, sv.Shop.Zone)
		if err != nil {
			f.Bads["taken_at"] = fmt.Sprintf("%q: expected a date and a time", frame.Clip(text, 20))
		}
		in.TakenAt = at
	}
	return in
}

func (sv *Room) trySurvey(c *echo.Context) error {
	f, err := frame.SoFar(c, "survey")
	if err != nil {
		return err
	}
	v, err := sv.surveySoFar(c, f)
	if err != nil {
		return err
	}
	return c.Render(http.StatusOK, "survey#live", v)
}

// readMonitor fills the survey from the cell monitor; the person still looks and saves.
func (sv *Room) readMonitor(c *echo.Context) error {
	f, err := frame.Read(c, "survey")
	if err != nil {
		return err
	}
	volts, temp, err := sv.Shop.Measure.ReadMonitor(c.Request().Context(), c.Param("number"), f.Get("alone"))
	if err != nil {
		if err := f.Take(err); err != nil {
			return err
		}
		return sv.ShowSurvey(c, http.StatusUnprocessableEntity, f)
	}
	// Known for the modules that follow.
	c.SetCookie(&http.Cookie{Name: "pandrel_alone", Value: passage.Alone, Path: "/modules/", MaxAge: 3600,
		SameSite: http.SameSiteStrictMode, HttpOnly: true})
	for _, v := range volts {
		f.Values.Set(fmt.Sprintf("g%d", v.Group), v.AsTyped)
	}
	f.Values.Set("temp_c", fmt.Sprintf("%.1f", temp))
	f.Values.Set("instrument", measure.MonitorInstrument)
	if f.Get("plugged") != "" { // read, keep and go on in one press
		return frame.Handle(c, f, sv.keepSurvey(c), sv.surveyFailed(c))
	}
	return sv.ShowSurvey(c, http.StatusOK, f)
}

func (sv *Room) saveSurvey(c *echo.Context) error {
	return frame.Post(c, "survey", sv.keepSurvey(c), sv.surveyFailed(c))
}

func (sv *Room) surveyFailed(c *echo.Context) func(code int, f *frame.Form) error {
	return func(code int, f *frame.Form) error { return sv.ShowSurvey(c, code, f) }
}

// keepSurvey saves what is typed or read. What cannot be right is asked about first: Enter saves at once, so it is
// shown before it is kept for ever.
func (sv *Room) keepSurvey(c *echo.Context) func(f *frame.Form) (frame.Act, error) {
	return func(f *frame.Form) (frame.Act, error) {
		ctx := c.Request().Context()
		m, t, err := sv.ModuleOf(c)
		if err != nil {
			return nil, err
		}
		lay, _, err := sv.Shop.Record.LayoutFor(ctx, m, t)
		if err != nil {
			return nil, err
		}
		in := sv.surveyInput(c, f, lay.Series)
		part, inPart := inPart(f, in, lay.Series)
		keepPart := func(token string) (string, error) {
			errs, err := sv.Shop.Measure.RecordReads(ctx, []measure.ReadInput{part}, token, true)
			if text := errs[0]; text != "" {
				return "", kernel.Bad("total_v", "%s", text)
			}
			return frame.ModulePath(m.Number), err
		}
		if inPart {
			return func() (string, error) { return keepPart(in.Token) }, nil
		}
		if !f.Bad() && f.Get("confirm") == "" {
			if r, ok := sv.Shop.Measure.TrySurvey(ctx, m, t, lay.Series, in); ok && r.Verdict == survey.Reread {
				for _, g := range r.Groups {
					if g.Verdict == survey.Reread {
						f.Bads[fmt.Sprintf("g%d", g.Group)] = "Read again? Or save once more to keep it as it is."
					}
				}
				f.Values.Set("confirm", "yes")
			}
		}
		return func() (string, error) {
			_, _, err := sv.Shop.Measure.RecordSurvey(ctx, in)
			if err != nil && !frame.Again(err) {
				return "", err
			}
			if part.What.TotalV > 0 { // beside its groups: kept as it was typed
				part.What.Groups = nil
				if _, err := keepPart(in.Token + "-ends"); err != nil && !frame.Again(err) {
					return "", err
				}
			}
			where, lost := sv.GoOn(c, f, station.Survey, m.Number)
			if lost != nil {
				return "", lost
			}
			return where, err
		}, nil
	}
}

// inPart is what was read where not every group was: end to end, or some of them; ok is false where every one was.
func inPart(f *frame.Form, in measure.SurveyInput, series int) (part measure.ReadInput, ok bool) {
	total, digit := f.Digits("total_v", "V")
	part = measure.ReadInput{Number: in.Number, What: whole.Read{TotalV: total, TotalDigit: digit},
		AsTyped: frame.Clip(f.Get("total_v"), 40), Instrument: in.Instrument, AccuracyVolts: in.AccuracyVolts,
		RestMinutes: in.RestMinutes, TempC: in.TempC}
	var volts []float64
	together := false
	for _, r := range in.Readings {
		part.What.Groups = append(part.What.Groups, whole.GroupRead{Group: r.Group, Volts: r.Volts})
		together = together || r.Span > 1
		for range max(1, r.Span) {
			volts = append(volts, r.Volts/float64(max(1, r.Span)))
		}
	}
	if len(volts) == series && total > 0 {
		if field, text := part.What.Beside(volts); field != "" {
			f.Bads["total_v"] = text
		}
	}
	return part, !together && len(volts) < series && (len(volts) == 0 && total > 0 || f.Get("gaps") != "" &&
		len(volts) > 0)
}

// sides say where the red probe goes from the black one.
var sides = map[string]string{face.Right: "on the right", face.Left: "on the left", face.Above: "above",
	face.Below: "below"}

// side says where the red probe goes from the black one, and whether that is the other way round than
// for the group before: on modules whose polarity alternates the clips change places at each step.
func (v *surveyView) side(i int, lie face.Face) {
	group, g := v.layout.Groups[i], &v.Groups[i]
	if len(group.Negative) == 0 || len(group.Positive) == 0 {
		return
	}
	g.Side = sides[lie.Lies(group.Positive[0], group.Negative[0])]
	if i > 0 && v.Groups[i-1].Side != "" {
		g.Turns = g.Side != "" && g.Side != v.Groups[i-1].Side
	}
}

// surveyAround fills what stands around the fields: the face, the pallet and the picture to type from.
func (sv *Room) surveyAround(c *echo.Context, v *surveyView) (err error) {
	ctx := c.Request().Context()
	v.Monitor = sv.Shop.MonitorAddress != ""
	var marks draw.FaceMarks
	if len(v.Groups) > 0 {
		marks.Negative, marks.Positive = strings.Fields(v.Groups[0].Negative), strings.Fields(v.Groups[0].Plus)
	}
	v.Face = sv.Sketch.FaceBox(c, v.Type, frame.ModulePath(v.Module.Number, "survey"), marks)
	if v.Pallet, err = sv.Shop.Desk.PalletOf(ctx, v.Module); err != nil {
		return err
	}
	if v.Monitor {
		if v.Leads, v.NotLeads, err = sv.Shop.Measure.LeadsFor(ctx, v.Type.ID); err != nil {
			return err
		}
	}
	v.Shot = frame.Blank("screen", "by", frame.Who(c))
	own, err := record.OwnCurve(v.Type)
	if err != nil {
		return err
	}
	if own != nil {
		v.OwnCurve = own.Source
	}
	if v.Form.Get("picture") == "" {
		v.Form.Values.Set("picture", frame.Clip(frame.Query(c, "picture"), 12))
	}
	if id := v.Form.Whole("picture", 0); id > 0 {
		p, err := sv.Shop.Record.Picture(ctx, int64(id))
		if err != nil {
			return err
		}
		if p.Kind != record.PictureScreen || p.ModuleID == nil || *p.ModuleID != v.Module.ID {
			v.Form.Bads["picture"] = "That picture belongs to another module: attach one of this module's."
			v.Form.Values.Del("picture")
			return nil
		}
		v.Screen = &p
		v.Twice, err = sv.Shop.Record.UsedBefore(ctx, p)
		return err
	}
	return nil
}

// flags says which readings so far to take again.
func flags(r survey.Result) []flagView {
	var out []flagView
	for _, o := range survey.OddSoFar(r) {
		text := fmt.Sprintf("%+.0f mV from its siblings", o.FromMV)
		if o.Absurd {
			text = "cannot be right"
		}
		v := flagView{Group: o.Group, Field: fmt.Sprintf("f-g%d", o.Group), Text: text}
		if o.Offer != 0 {
			v.Offer = fmt.Sprintf("%.3f", o.Offer)
		}
		out = append(out, v)
	}
	return out
}
