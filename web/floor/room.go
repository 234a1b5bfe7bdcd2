// Package floor is the page of a bank as it will stand: drawn to scale, joined post by post, each change kept.
package floor

import (
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/change"
	core "pandrel/core/bank/floor"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/draw"
	"pandrel/shop/floor"
	"pandrel/store"
	"pandrel/web/choice"
	"pandrel/web/frame"
)

// Room is this page.
type Room struct{ *frame.Frame }

// Routes adds the pages of this room.
func (sv *Room) Routes(e *echo.Echo) {
	e.GET("/banks/:id/floor", frame.ByID(sv.floor))
	e.GET("/banks/:id/floor/between", frame.ByID(sv.between))
	e.GET("/banks/:id/floor/file", frame.ByID(sv.file))
	e.GET("/banks/:id/floor/parts", frame.ByID(sv.parts))
	e.POST("/banks/:id/floor/parts", frame.ByID(sv.countParts))
	e.POST("/banks/:id/floor", frame.ByID(sv.change))
	e.POST("/banks/:id/floor/file", frame.ByID(sv.fromFile))
	e.POST("/banks/:id/floor/go", frame.ByID(sv.goTo))
	e.POST("/banks/:id/floor/build", frame.ByID(sv.build))
}

// floorView is a bank on its floor, with the lists beside it.
type floorView struct {
	floor.Drawn
	Picture   string
	Judgement string
	Level     string
	Form      *frame.Form
	Between   *betweenView // of two points that were asked for in the address
	Points    []choice.Of
	Pieces    []pieceRow
	Joints    []jointRow // devices and cables, and what is wrong; then the metal that joins modules
	Metal     []jointRow
	Open      *netlist.Conductor // the joint whose figures are changed
	Set       *core.Piece        // the BMS or outlet that is set
	Relays    []choice.Of
	Free      []string // modules of the design that stand nowhere yet
	Kg        known.Value
	Unweighed []string
	Versions  []store.Drawing
	Against   *againstView
	Leads     []core.Lead
	Sensors   []core.Sensor
	Parts     []floor.Part
	Mends     []finding.Finding // what is wrong, in the list beside the drawing
	Notes     int
	Stock     []floor.Free
	Adds      []kindChoice // what may be put down
	Nominal   []string     // modules with nominal volts: nobody read theirs
	NoLoad    bool         // nothing that is joined meets a load: protection and ways round a switch were not judged
}

// againstView is what is shown held against an older row.
type againstView struct {
	Row  store.Drawing
	Diff []core.Difference
}

// pieceRow is a piece in the list.
type pieceRow struct {
	core.Piece
	Word   string
	At     string
	Marks  []core.Mark
	MayRun bool
}

// jointRow is a joint in the list.
type jointRow struct {
	netlist.Conductor
	Word   string
	Length known.Value
	Detail string
	Marks  []core.Mark
	Device bool
}

// betweenView is what joining two points would do.
type betweenView struct {
	change.Joint
	Kinds []kindChoice
}

type kindChoice struct{ Kind, Word string }

func viewOf(j change.Joint) *betweenView {
	v := &betweenView{Joint: j}
	for _, k := range j.Kinds {
		v.Kinds = append(v.Kinds, kindChoice{string(k), core.Word(string(k))})
	}
	return v
}

func (sv *Room) floor(c *echo.Context, id int64) error { return sv.show(c, http.StatusOK, id, nil) }

func (sv *Room) show(c *echo.Context, code int, id int64, f *frame.Form) error {
	ctx := c.Request().Context()
	d, err := sv.Shop.Floor.Load(ctx, id)
	if err != nil {
		return err
	}
	v := floorView{Drawn: d, Form: f}
	if f == nil {
		v.Form = frame.Blank("floor", "by", frame.Who(c), "at", strconv.FormatInt(d.At, 10), "a", frame.Query(c, "a"),
			"b", frame.Query(c, "b"))
	}
	v.Form.Values.Set("at", strconv.FormatInt(d.At,
		10)) // what was meant for another drawing is meant for this one next
	v.Picture = draw.Floor{Title: "Plan of " + d.Bank.Name, State: d.State, Units: d.Units, Live: true}.SVG()
	v.lists()
	if v.Parts, err = sv.Shop.Floor.PartsOf(ctx, d); err != nil {
		return err
	}
	v.sentence()
	if a, b := v.Form.Get("a"), v.Form.Get("b"); a != "" && b != "" && v.Form.Get("do") == "" {
		if j, err := change.Between(d.State.Drawing, d.Units, a, b); err == nil {
			v.Between = viewOf(j)
		}
	}
	if p := v.State.Drawing.Photo; p != nil && v.Form.Get("across_mm") == "" {
		v.Form.Values.Set("across_mm", frame.Known(p.WMM))
		v.Form.Values.Set("left_mm", strconv.FormatFloat(p.XMM, 'f', -1, 64))
		v.Form.Values.Set("top_mm", strconv.FormatFloat(p.YMM, 'f', -1, 64))
	}
	on := frame.Query(c, "on")
	if f != nil && slices.Contains([]string{change.Rate, change.Set, change.Size},
		f.Get("do")) { // what was typed stays in sight
		on = f.Get("id")
	}
	v.chosen(on)
	if d.Design == nil && !d.Stands {
		if v.Stock, err = sv.Shop.Floor.Stock(ctx); err != nil {
			return err
		}
	}
	if v.Versions, err = sv.Shop.Floor.Versions(ctx, id, 60); err != nil {
		return err
	}
	if against, err := strconv.ParseInt(frame.Query(c, "against"), 10, 64); err == nil {
		diff, row, err := sv.Shop.Floor.Against(ctx, d, against)
		if err != nil {
			return err
		}
		v.Against = &againstView{row, diff}
	}
	return sv.ShowAt(c, code, "floor", "Plan of "+d.Bank.Name, d.Bank.Station, v)
}

// lists fills in what stands beside the drawing.
func (v *floorView) lists() {
	d := v.State.Drawing
	for _, p := range d.Pieces {
		if v.Units[p.ID].Nobody {
			v.Nominal = append(v.Nominal, p.ID)
		}
		v.Pieces = append(v.Pieces, pieceRow{Piece: p, Word: core.Word(string(p.Kind)), At: lies(p.Place),
			Marks: v.marks(p.ID), MayRun: p.Kind != core.Module || v.Stands})
		for _, s := range d.Spots(p, v.Units) {
			v.point(s, false)
		}
	}
	v.pins()
	for _, j := range d.Joints {
		row := jointRow{Conductor: j, Word: core.Word(string(j.Kind)), Length: d.Length(j, v.State.Spots, v.Units),
			Detail: core.Rating(j), Marks: v.marks(j.ID), Device: j.Kind == netlist.Switch ||
				j.Kind == netlist.Contactor || j.Kind == netlist.Plug || j.Kind == netlist.Breaker ||
				j.Kind == netlist.Precharge}
		if metal := j.Kind == netlist.Bar || j.Kind == netlist.Bond; metal && len(row.Marks) == 0 {
			v.Metal = append(v.Metal, row)
		} else {
			v.Joints = append(v.Joints, row)
		}
		if j.Kind == netlist.Contactor {
			v.Relays = append(v.Relays, choice.Of{Value: j.ID, Text: j.ID})
		}
	}
	for _, number := range v.parts() {
		if d.Piece(number) == nil {
			v.Free = append(v.Free, number)
		}
	}
	v.Kg, v.Unweighed = v.State.Weight(v.Units)
	v.Leads = v.State.Leads(v.Units)
	v.Sensors = v.State.Sensors(v.Units)
	for _, f := range v.State.Findings {
		if f.Level >= finding.Caution {
			v.Mends = append(v.Mends, f)
		}
	}
	v.Notes = len(v.State.Findings) - len(v.Mends)
	for _, k := range core.Kinds {
		v.Adds = append(v.Adds, kindChoice{string(k), core.Word(string(k))})
	}
	ends := v.State.Netlist.Terminals
	v.NoLoad = len(ends.Plus) == 0 || len(ends.Minus) == 0
}

// parts are the modules that belong on the drawing: those of the design, or the parts of a bank that stands.
func (v *floorView) parts() []string {
	switch {
	case v.Stands:
		return slices.Sorted(maps.Keys(v.Units))
	case v.Design != nil:
		return v.Design.All()
	}
	return nil
}

// ToBuy counts the lines of parts of which some are missing.
func (v floorView) ToBuy() (n int) {
	for _, p := range v.Parts {
		if p.Buy > 0 {
			n++
		}
	}
	return n
}

// Counted reports whether anybody said what is in hand.
func (v floorView) Counted() bool {
	return slices.ContainsFunc(v.Parts, func(p floor.Part) bool { return p.Counted })
}

// pins adds the pins of connectors behind the posts.
func (v *floorView) pins() {
	for _, p := range v.State.Drawing.Pieces {
		for _, s := range v.State.Drawing.Spots(p, v.Units) {
			v.point(s, true)
		}
	}
}

// point adds a point to what may be joined: first all posts, then the pins of connectors.
func (v *floorView) point(s core.Spot, pins bool) {
	if s.Pin != pins {
		return
	}
	text := s.Name
	if volts, ok := v.State.Volts[s.Name]; ok {
		text += fmt.Sprintf(", %.2f V", volts)
	}
	v.Points = append(v.Points, choice.Of{Value: s.Name, Text: text})
}

// marks is what is wrong with a piece or a joint.
func (v *floorView) marks(on string) (out []core.Mark) {
	for _, m := range v.State.Marks {
		if m.On == on {
			out = append(out, m)
		}
	}
	return out
}

// lies says where a piece is and how it lies.
func lies(p core.Place) string {
	text := fmt.Sprintf("%.0f, %.0f mm", p.XMM, p.YMM)
	if p.Turn != 0 {
		text += fmt.Sprintf(", turned %d°", 90*p.Turn)
	}
	if p.Flip {
		text += ", flipped"
	}
	if p.Layer > 0 {
		text += fmt.Sprintf(", layer %d", p.Layer+1)
	}
	return text
}

// chosen opens what the address names: a joint whose figures are changed, or a piece that is set.
func (v *floorView) chosen(on string) {
	if on == "" {
		return
	}
	if j := v.State.Drawing.Joint(on); j != nil {
		v.Open = j
		set := func(name string, p *float64) {
			if p != nil && v.Form.Get(name) == "" {
				v.Form.Values.Set(name, frame.Known(*p))
			}
		}
		set("rating_a", j.RatingA)
		set("voltage_v", j.VoltageRatingV)
		set("interrupt_a", j.InterruptA)
		set("area_mm2", j.AreaMM2)
		set("length_mm", j.LengthMM)
	}
	if p := v.State.Drawing.Piece(on); p != nil && (p.Kind != core.Module || v.Stands) {
		v.Set = p
		if c, _ := v.State.Drawing.CaseOf(*p, v.Units); v.Form.Get("w_mm") == "" {
			v.Form.Values.Set("w_mm", frame.Known(c.WMM))
			v.Form.Values.Set("d_mm", frame.Known(c.DMM))
			v.Form.Values.Set("h_mm", frame.Known(c.HMM))
			v.Form.Values.Set("kg", frame.Known(c.Kg))
		}
		if v.Form.Get("opens") == "" {
			v.Form.Values.Set("opens", string(p.Opens))
			v.Form.Values.Set("drives", p.Drives)
			v.Form.Values.Set("leads_mm", frame.Known(p.LeadsMM))
			if p.OpensV != nil {
				v.Form.Values.Set("volts", frame.Known(*p.OpensV))
			}
			if p.Supply {
				v.Form.Values.Set("supply", "yes")
			}
			if p.Charge {
				v.Form.Values.Set("charge", "yes")
			}
		}
	}
}

// sentence is what the page says first.
func (v *floorView) sentence() {
	t := v.State.Tells
	switch {
	case v.Why != "":
		v.Judgement, v.Level = v.Why, "caution"
		return
	case t.Modules == 0 && len(v.Free) == 0:
		v.Judgement, v.Level = "Nothing stands here yet. Put a module down, then press its posts one after "+
			"the other.", "ready"
		return
	case t.Modules == 0:
		v.Judgement, v.Level = fmt.Sprintf("%s waiting to be put down.", numeral.Count(len(v.Free), "module")), "ready"
		return
	}
	text := fmt.Sprintf("%s in series, %d in parallel", numeral.Count(t.Series, "group"), t.Parallel)
	if t.FullV.Is() {
		text += ", " + t.FullV.Text(1, "V") + " full"
	}
	stops := 0
	for _, f := range v.Mends {
		if f.Level >= finding.Stop {
			stops++
		}
	}
	switch {
	case stops > 0:
		text += fmt.Sprintf(". %s to be mended: %s", numeral.Count(stops, "thing"), v.Mends[0].Text)
		v.Level = v.Mends[0].Level.String()
	case len(v.Mends) > 0:
		text += ". " + v.Mends[0].Text
		v.Level = "caution"
	case v.NoLoad:
		text += ". No load is joined yet: what carries its current without a fuse, and what goes round a " +
			"switch, is not " +
			"judged."
		v.Level = "ready"
	default:
		text += ". Nothing on the drawing is reversed, hidden, unprotected or round a switch."
		v.Level = "ok"
	}
	v.Judgement = text
}

// between answers while points are pressed: what joining the two would do.
func (sv *Room) between(c *echo.Context, id int64) error {
	a, b := frame.Query(c, "a"), frame.Query(c, "b")
	if a == "" || b == "" {
		return c.Render(http.StatusOK, "floor#between", map[string]any{"A": a, "B": b})
	}
	j, err := sv.Shop.Floor.Between(c.Request().Context(), id, a, b)
	if err != nil {
		return c.Render(http.StatusOK, "floor#between", map[string]any{"A": a, "B": b, "Error": err.Error()})
	}
	return c.Render(http.StatusOK, "floor#between", map[string]any{"A": a, "B": b, "V": viewOf(j)})
}

// Serves reports whether the bank is in service: its drawing says how it stands.
func (v floorView) Serves() bool { return v.Bank.Station == station.Keep }

// Types are what the stock has of modules, to choose from.
func (v floorView) Types() (out []choice.Of) {
	for _, t := range v.Stock {
		out = append(out, choice.Of{Value: strconv.FormatInt(t.Type.ID, 10), Text: fmt.Sprintf("%s, %d free",
			t.Type.Name,
			t.Many)})
	}
	return out
}

// Shelves are what the drawing has of them, to choose from.
func (v floorView) Shelves() (out []choice.Of) {
	for _, s := range v.State.Drawing.Supports {
		out = append(out, choice.Of{Value: s.ID, Text: s.ID})
	}
	return out
}

// nudgeMM is how far a press on an arrow moves a piece.
const nudgeMM = 10

// op reads a change from a form.
func op(f *frame.Form) change.Op {
	o := change.Op{Do: f.Get("do"), ID: f.Get("id"), Kind: f.Get("kind"), A: f.Get("a"), B: f.Get("b")}
	by := float64(f.Whole("by_mm", nudgeMM))
	if kind := f.Get("rest"); kind != "" {
		o.Kind, o.Rest = kind, true
	}
	if id := f.Get("off"); id != "" {
		o.Do, o.ID = change.Take, id
	}
	if id := f.Get("toggle"); id != "" {
		o.Do, o.ID = change.Device, id
	}
	switch o.Do {
	case "left":
		o.Do, o.By, o.X = change.Move, true, -by
	case "right":
		o.Do, o.By, o.X = change.Move, true, by
	case "up":
		o.Do, o.By, o.Y = change.Move, true, -by
	case "down":
		o.Do, o.By, o.Y = change.Move, true, by
	case "lift":
		o.Layers = 1
	case "lower":
		o.Do, o.Layers = change.Lift, -1
	case change.Move:
		o.X, o.Y = f.Opt("x", 0), f.Opt("y", 0)
	case change.Rate:
		o.Rated = netlist.Conductor{RatingA: f.Maybe("rating_a"), VoltageRatingV: f.Maybe("voltage_v"),
			InterruptA: f.Maybe("interrupt_a"), AreaMM2: f.Maybe("area_mm2"), LengthMM: f.Maybe("length_mm")}
	case change.Shelf:
		o.Size = core.Case{WMM: f.Opt("w_mm", 0), DMM: f.Opt("d_mm", 0), Kg: f.Opt("kg", 0)}
	case change.Under:
		o.Size.WMM, o.X, o.Y = f.Opt("across_mm", 0), f.Opt("left_mm", 0), f.Opt("top_mm", 0)
	case change.Pin:
		o.Note = f.Get("note")
	case change.Size:
		o.Size = core.Case{WMM: f.Opt("w_mm", 0), DMM: f.Opt("d_mm", 0), HMM: f.Opt("h_mm", 0), Kg: f.Opt("kg", 0)}
	case change.Set:
		o.Kind, o.Drives, o.Volts, o.Supply = f.Get("opens"), f.Get("drives"), f.Maybe("volts"), f.Get("supply") != ""
		o.Charge, o.LeadsMM = f.Get("charge") != "", f.Opt("leads_mm", 0)
	case "module": // a module of the design, or of the stock by its number
		o.Do, o.Kind = change.Add, string(core.Module)
	}
	return o
}

func (sv *Room) change(c *echo.Context, id int64) error {
	return frame.Post(c, "floor", func(f *frame.Form) (frame.Act, error) {
		in := floor.ChangeInput{BankID: id, At: int64(f.Whole("at", 0)), Op: op(f), Token: f.Once()}
		if in.Op.Do == change.Under || in.Op.Do == change.Pin {
			files, err := frame.Uploads(c, f, "picture")
			if err != nil {
				return nil, err
			}
			if len(files) == 1 {
				in.Picture = files[0]
			} else if len(files) > 1 || in.Op.Do == change.Pin {
				f.Bads["picture"] = "expected one picture"
			}
		}
		many := f.Whole("count", 0)
		return func() (string, error) {
			if f.Get("do") == "some" {
				numbers, err := sv.Shop.Floor.Some(c.Request().Context(), int64(f.Whole("type", 0)), many)
				if err != nil {
					return "", err
				}
				in.Op = change.Op{Do: change.Add, Kind: string(core.Module), ID: strings.Join(numbers, " ")}
			}
			return sv.where(id, f), sv.Shop.Floor.Change(c.Request().Context(), in)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.show(c, code, id, f) })
}

// where is the part of the page that a change is seen on.
func (sv *Room) where(id int64, f *frame.Form) string {
	room := ""
	for _, r := range []string{"joints", "pieces", "pictures", "build", "versions"} {
		if f.Get("room") == r {
			room = "#" + r
		}
	}
	return fmt.Sprintf("/banks/%d/floor%s", id, room)
}

func (sv *Room) goTo(c *echo.Context, id int64) error {
	return frame.Post(c, "floor", func(f *frame.Form) (frame.Act, error) {
		at, ctx := int64(f.Whole("at", 0)), c.Request().Context()
		return func() (string, error) {
			where := sv.where(id, f)
			switch f.Get("do") {
			case "undo":
				return where, sv.Shop.Floor.Undo(ctx, id, at, f.Once())
			case "redo":
				return where, sv.Shop.Floor.Redo(ctx, id, at, f.Once())
			}
			return where, sv.Shop.Floor.GoTo(ctx, id, at, int64(f.Whole("to", 0)), f.Once())
		}, nil
	}, func(code int, f *frame.Form) error { return sv.show(c, code, id, f) })
}

func (sv *Room) build(c *echo.Context, id int64) error {
	return frame.Post(c, "floor", func(f *frame.Form) (frame.Act, error) {
		at, ctx := int64(f.Whole("at", 0)), c.Request().Context()
		return func() (string, error) {
			if f.Get("do") == "designed" {
				return sv.where(id, f), sv.Shop.Floor.AsDesigned(ctx, id, at, f.Once())
			}
			return sv.where(id, f), sv.Shop.Floor.Build(ctx, id, at, f.Once())
		}, nil
	}, func(code int, f *frame.Form) error { return sv.show(c, code, id, f) })
}

// file sends the drawing: as a picture, or with all that is known of its modules as the format of drawings.
func (sv *Room) file(c *echo.Context, id int64) error {
	v, err := sv.Shop.Floor.Load(c.Request().Context(), id)
	if err != nil {
		return err
	}
	name := "plan-" + strings.Map(plainRune, v.Bank.Name)
	if frame.Query(c, "as") == "svg" {
		svg := draw.Floor{Title: "Plan of " + v.Bank.Name, State: v.State, Units: v.Units}.SVG()
		return frame.SendFile(c, name+".svg", "image/svg+xml", []byte(svg))
	}
	data, err := core.Write(v.State.Drawing, v.Units)
	if err != nil {
		return err
	}
	return frame.SendFile(c, name+".json", "application/json", data)
}

// fromFile takes a drawing from a file.
func (sv *Room) fromFile(c *echo.Context, id int64) error {
	return frame.Post(c, "floor", func(f *frame.Form) (frame.Act, error) {
		files, err := frame.Uploads(c, f, "file")
		if err != nil {
			return nil, err
		}
		if len(files) != 1 {
			f.Bads["file"] = "expected one file, a drawing as this page sends it"
		}
		in := floor.ChangeInput{BankID: id, At: int64(f.Whole("at", 0)), Token: f.Once()}
		return func() (string, error) {
			return sv.where(id, f), sv.Shop.Floor.FromFile(c.Request().Context(), in, files[0])
		}, nil
	}, func(code int, f *frame.Form) error { return sv.show(c, code, id, f) })
}

func plainRune(r rune) rune {
	switch {
	case r >= 'a' && r <= 'z', r >= '0' && r <= '9', r == '-':
		return r
	case r >= 'A' && r <= 'Z':
		return r + 'a' - 'A'
	}
	return '-'
}

// mostLines are read of a list of parts.
const mostLines = 2000

// countParts keeps how many of the parts are in hand.
func (sv *Room) countParts(c *echo.Context, id int64) error {
	return frame.Post(c, "parts", func(f *frame.Form) (frame.Act, error) {
		in := floor.HandInput{BankID: id, Counts: map[string]int{}}
		for i := range min(f.Whole("lines", 0), mostLines) {
			name := fmt.Sprintf("have_%d", i)
			if key := f.Get(fmt.Sprintf("key_%d", i)); key != "" && f.Get(name) != "" {
				in.Counts[key] = f.Whole(name, 0)
			}
		}
		in.Token = f.Once()
		return func() (string, error) {
			return fmt.Sprintf("/banks/%d/floor#parts", id), sv.Shop.Floor.CountParts(c.Request().Context(), in)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.show(c, code, id, f) })
}

// parts sends the list of parts, or of sense leads, as a table.
func (sv *Room) parts(c *echo.Context, id int64) error {
	v, err := sv.Shop.Floor.Load(c.Request().Context(), id)
	if err != nil {
		return err
	}
	var rows [][]any
	if frame.Query(c, "list") == "leads" {
		for _, l := range v.State.Leads(v.Units) {
			rows = append(rows, []any{l.BMS, l.Input, l.Point, l.Colour, length(l.Length), from(l.Length),
				length(l.Volts), from(l.Volts), length(l.Short)})
		}
		return frame.SendTable(c, "sense-leads", "leads", []string{"bms", "input", "point", "colour", "length_mm",
			"length_from", "expected_v", "expected_from", "short_mm"}, rows, frame.Query(c, "as"))
	}
	list, err := sv.Shop.Floor.PartsOf(c.Request().Context(), v)
	if err != nil {
		return err
	}
	for _, i := range list {
		have := any("")
		if i.Counted {
			have = i.Have
		}
		rows = append(rows, []any{i.What, i.Detail, i.Count, i.Spare, length(i.Length), from(i.Length), i.For, have,
			i.Buy})
	}
	return frame.SendTable(c, "parts", "parts", []string{"part", "detail", "count", "spare", "length_mm",
		"length_from", "for", "in_hand", "to_buy"}, rows, frame.Query(c, "as"))
}

func length(v known.Value) any {
	if !v.Is() {
		return ""
	}
	return v.V()
}

// from says what a length rests on.
func from(v known.Value) string {
	if !v.Is() {
		return ""
	}
	return v.From().String()
}
