package procedure

import (
	"cmp"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/draw"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/steps"
	"pandrel/shop/working"
	"pandrel/store"
	"pandrel/web/choice"
	"pandrel/web/frame"
)

type standingsView struct {
	Services []store.Bank
	Form     *frame.Form
}

func (sv *Room) services(c *echo.Context) error {
	return sv.showServices(c, http.StatusOK, frame.Blank("service", "by", frame.Who(c), "strings", "1",
		"accuracy_mv", frame.Last(c, "accuracy_mv")))
}

func (sv *Room) showServices(c *echo.Context, code int, f *frame.Form) error {
	all, err := sv.Shop.Procedure.OfOrigin(c.Request().Context(), store.Stands)
	if err != nil {
		return err
	}
	return sv.ShowAt(c, code, "services", "A bank that stands", station.Keep, standingsView{all, f})
}

// cellsOf reads what is known of a bank's inside.
func cellsOf(f *frame.Form) standing.Cells {
	ah, wh := f.Rating("ah")
	dayAh, dayWh := f.Rating("day_ah")
	c := standing.Cells{Chemistry: chem.ID(f.Get("chemistry")), Ah: ah, Wh: wh, BMS: f.Get("bms"),
		Opens: f.Get("opens"), Made: f.Get("made"), Ways: strings.TrimSpace(f.Get("ways")), Freezes: f.Get("freezes"),
		FrostBy: f.Get("frost_by"), InString: f.Whole("in_string", 0), Owners: strings.TrimSpace(f.Get("owners")),
		DayAh: dayAh, DayWh: dayWh}
	var err error
	if c.May, err = numeral.Counts(f.Get("series")); err != nil {
		f.Bads["series"] = err.Error()
	}
	if len(c.May) == 1 {
		c.Series, c.May = c.May[0], nil
	}
	return c
}

// readingsOf reads group voltages with their conditions: of all groups, or what was read where not all were; listed
// is how many groups the list has, those that were not read among them.
func readingsOf(f *frame.Form) (r procedure.StandingReadings, listed int) {
	volts, unread := f.VoltsRead("grid")
	instrument := f.Get("instrument")
	switch {
	case f.Get("climbs") != "" && len(volts) > 1 && !whole.MayClimb(volts):
		f.Bads["grid"] = "none of these is more than one group can have: read against the main negative, the last of " +
			"them is the whole bank"
	case f.Get("climbs") != "" && len(volts) > 0:
		volts, unread = whole.Differences(volts, unread)
		instrument = strings.TrimSpace(instrument + " against the main negative: " +
			frame.Clip(strings.Join(strings.Fields(f.Get("grid")), " "), 2000))
	case whole.Climbs(volts, unread):
		f.Bads["grid"] = whole.ClimbText(volts, unread)
	}
	part := whole.Read{Count: f.Whole("read_count", 0), ApartV: f.Opt("apart_mv", 0) / 1000}
	if part.TotalV, part.TotalDigit = f.Digits("total_v", "V"); part.TotalV == 0 && f.Get("total_v") != "" &&
		f.Bads["total_v"] == "" {
		f.Bads["total_v"] = "expected volts above 0: empty where nobody read them"
	}
	if len(volts) == 0 && len(unread) > 0 && part.TotalV == 0 {
		f.Bads["grid"] = "each value is left out: expected those that were read, or the volts end to end"
	}
	listed = len(volts) + len(unread)
	if len(unread) > 0 {
		at := 0
		for _, v := range volts {
			for at++; slices.Contains(unread, at); at++ {
			}
			part.Groups = append(part.Groups, whole.GroupRead{Group: at, Volts: v})
		}
		volts = nil
	}
	return procedure.StandingReadings{Volts: volts, Part: part, Instrument: instrument,
		Accuracy: f.Opt("accuracy_mv", 0) / 1000, Rest: f.Opt("rest_min", -1), TempC: f.Maybe("temp_c"),
		Token: f.Once()}, listed
}

func (sv *Room) saveService(c *echo.Context) error {
	return frame.Post(c, "service", func(f *frame.Form) (frame.Act, error) {
		in := procedure.StandingInput{Name: f.Get("name"), Owner: f.Get("owner"), Note: f.Get("note"),
			Token: f.Once(), Cells: cellsOf(f), Bank: standing.Bank{
				NominalVolts: f.Opt("nominal_v", 0), FullVolts: f.Opt("full_v", 0), Strings: f.Whole("strings", 1),
				Solar: f.Get("solar") != "", Mains: f.Get("mains") != "", Plug: f.Get("plug") != "",
				ServicePlug:   f.Get("service_plug") != "",
				WetPlace:      f.Get("wet") != "",
				OwnPrecharge:  f.Get("own_precharge") != "",
				PartsAfter:    f.Whole("parts_after", 0),
				CapacitanceMF: f.Opt("capacitance_mf", 0), PrechargeOhms: f.Opt("precharge_ohm", 0)}}
		if r, listed := readingsOf(f); len(r.Volts) > 0 || r.Part.Is() {
			if len(r.Part.Groups) > 0 && in.Cells.Series == 0 && len(in.Cells.May) == 0 { // as many as are listed
				in.Cells.Series = listed
			}
			in.Survey = &r
		}
		return func() (string, error) {
			row, err := sv.Shop.Procedure.SaveStanding(c.Request().Context(), in)
			return frame.Made("/banks/", row.ID, "/banks/standing", err)
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showServices(c, code, f)
	})
}

// standingPage is one owner's bank: what to do now, and what was done.
type standingPage struct {
	Go wayOn
	procedure.StandingView
	Worked   []frame.Worked
	Findings []finding.Finding
	Next     *gates.State // the step whose form is shown, nil when all is done
	Open     string       // its key
	Says     string
	Level    string
	Form     *frame.Form
	Judged   *whole.Standing // what was read last
	Sitting  int64           // its record
	Strip    string
	Layout   standing.Layout
	Stood    string // its picture
	Again    bool   // it is taken out of work once more
	Built    bool   // from modules, here: its page says more
	OnePage  bool   // below the touch limit the gates may be ticked on one page
	DownPage []gateRow
	UpPage   []gateRow
	Survey   *frame.Form
	Test     *frame.Form
	CellsF   *frame.Form
	Act      *frame.Form
	JoinF    *frame.Form
	MayJoin  []choice.Of // banks that stand and could be joined to it
	Fit      procedure.Retrofit
	FitF     *frame.Form
	Boards   []boardView
	Gates    *frame.Form // all of one direction at once
	DownOpen bool        // a gate on the way out of work is not done
	UpOpen   bool
	Step     *frame.Form // one by itself
	Alone    bool        // one by itself is asked for
}

// Told is what follows from what was said of it, a sentence each.
func (v standingPage) Told() (out []string) {
	var pct *[2]float64
	if v.Judged != nil {
		pct = v.Judged.SoCPct
	}
	owned, err := v.Cells.Owned(v.Bank.Strings)
	if err != nil { // the strings are others than when it was said
		owned = "Whose its strings are: " + v.Cells.Owners + "."
	}
	for _, text := range []string{v.Cells.Fits(v.Cells.ReadDigit, -1), v.Cells.Frost(), v.Cells.Days(pct),
		v.Bank.Shares(), owned, v.Cells.Blind(), v.together()} {
		if text != "" {
			out = append(out, text)
		}
	}
	return out
}

// together is what it is with the banks that stand on the same bars, or are to.
func (v standingPage) together() string {
	var others []standing.Cells
	for _, j := range v.Joined {
		if c, err := j.Bank.Cells.Get(); err == nil && j.Bank.Origin == store.Stands {
			others = append(others, c)
		}
	}
	return standing.Together(v.Cells, others, v.Bank.FullVolts)
}

// gateRow is one gate in the form of all of them.
type gateRow struct {
	gates.State
	Field, Value, Error string
	Ticked              bool
}

// Stands is the page of a bank that stands.
func (sv *Room) Stands(c *echo.Context, id int64) error {
	return sv.ShowStands(c, http.StatusOK, id, frame.Blank("step", "by", frame.Who(c)))
}

// stands is a bank as it stands, or as it is before it is taken out of work once more; again is whether it is that.
func (sv *Room) stands(c *echo.Context, id int64, f *frame.Form) (s procedure.StandingView, again bool, err error) {
	if frame.Query(c, "again")+f.Get("again") == "" {
		s, err = sv.Shop.Procedure.StandingByID(c.Request().Context(), id)
		return s, false, err
	}
	s, err = sv.Shop.Procedure.StandingAgain(c.Request().Context(), id)
	return s, len(s.Records) == 0, err
}

// ShowStands shows it, with a form that failed.
func (sv *Room) ShowStands(c *echo.Context, code int, id int64, f *frame.Form) error {
	s, again, err := sv.stands(c, id, f)
	if err != nil {
		return err
	}
	v := standingPage{Again: again, StandingView: s, Findings: append(s.Bank.Findings(), s.Hangs...),
		Form: f, Built: s.Standing.Origin == store.Built}
	v.Layout, v.Stood = layout(s)
	if v.Worked, err = sv.WorkedAt(c.Request().Context(), working.From{Kind: "bank", ID: id}); err != nil {
		return err
	}
	may, err := sv.Shop.Procedure.MayJoin(c.Request().Context(), s)
	if err != nil {
		return err
	}
	for _, b := range may {
		v.MayJoin = append(v.MayJoin, choice.Of{Value: strconv.FormatInt(b.ID, 10), Text: b.Name})
	}
	v.forms(c, f)
	v.Strip = sv.stripOf(s)
	if v.Fit, err = sv.Shop.Procedure.RetrofitOf(c.Request().Context(), s); err != nil {
		return err
	}
	v.fit(c, f)
	begun := slices.ContainsFunc(s.Steps(), func(st gates.State) bool { return st.Done || st.Failed })
	v.opens(s, gates.Next(s.Steps(), cmp.Or(frame.Query(c, "step"), f.Get("step"))), begun)
	v.Says, v.Level = held(s, v.Says, v.Level)
	v.Go = nextOf(v, begun)
	return sv.ShowAt(c, code, "service", s.Standing.Name, station.Keep, v)
}

// opens is what the page opens with: what was read where nothing is done yet, else how far its steps are.
func (v *standingPage) opens(s procedure.StandingView, next *gates.State, begun bool) {
	v.Says, v.Level = backInWork(s), "ok"
	switch {
	case !begun && v.Judged != nil:
		v.Says, v.Level = v.Judged.Text, "ready"
		switch {
		case v.Judged.Level >= finding.Stop:
			v.Level = "stop"
		case v.Judged.Level >= finding.Caution || len(v.Judged.Odd) > 0:
			v.Level = "caution"
		}
		if next != nil {
			v.Next, v.Open = next, next.Key
		}
	case next != nil && !begun:
		v.Next, v.Open = next, next.Key
		v.Says, v.Level = fmt.Sprintf("Nothing of its opening is recorded. First: %s.", next.Title), "ready"
	case next != nil:
		v.Next, v.Open = next, next.Key
		v.Says, v.Level = fmt.Sprintf("Being taken out of work. Next: %s.", next.Title), "ready"
		if slices.ContainsFunc(s.Up, func(st gates.State) bool { return st.Done }) {
			v.Says = fmt.Sprintf("Going back into work. Next: %s.", next.Title)
		}
		if next.Failed {
			v.Says, v.Level = fmt.Sprintf("Stop: '%s' did not pass.", next.Title), "stop"
		} else if len(s.Up) > 0 && next.Key == s.Up[0].Key {
			v.Says, v.Level = "Out of work and surveyed. It goes back by its steps.", "ready"
			if s.Unread() {
				v.Says, v.Level = "Out of work: survey it now. When that is done, it goes back by its steps.",
					"caution"
			}
		}
	}
}

// wayOn is a press that leads to the next step.
type wayOn struct{ Href, Text string }

// nextOf is what comes next for a bank that stands, nothing where it works and nothing waits.
func nextOf(v standingPage, begun bool) wayOn {
	switch {
	case begun && v.Unread() && v.Next != nil && v.Next.Key == v.Up[0].Key:
		return wayOn{"#survey", "Survey it now"}
	case begun && v.Next != nil:
		return wayOn{"#gates", "Next: " + v.Next.Title}
	case v.Level == "stop":
		return wayOn{"#gates", "Take it out of work"}
	case v.Judged == nil:
		return wayOn{"#survey", "Read its groups"}
	}
	return wayOn{}
}

// stripOf draws all surveys of a bank below each other, "" where there is none.
func (sv *Room) stripOf(s procedure.StandingView) string {
	var mods []draw.StripModule
	for _, x := range s.Surveys {
		mods = append(mods, draw.StripModule{Name: sv.Shop.Here(x.TakenAt).Format("01-02 15:04"), Volts: x.Volts})
	}
	if len(mods) == 0 {
		return ""
	}
	return draw.Strips("Groups of "+s.Standing.Name, mods)
}

// held puts what keeps a bank out of work before anything else, or beside what its survey says of it.
func held(s procedure.StandingView, says, level string) (string, string) {
	holds := finding.Standing(s.Holds)
	if len(holds) == 0 {
		return says, level
	}
	told := standing.Told(holds)
	if inWork := !slices.ContainsFunc(s.Steps(), func(st gates.State) bool { return !st.Done && st.Gate }); inWork {
		return "Take it out of work again. " + told, "stop"
	}
	if _, read := s.Newest(); read && strings.HasPrefix(says, holds[0].Text) {
		return says, "stop"
	}
	return strings.TrimSpace(told + " " + says), "stop"
}

// backInWork says what was recorded on the way, and what was not.
func backInWork(s procedure.StandingView) string {
	var left []string
	for _, st := range s.Steps() {
		if !st.Done {
			left = append(left, st.Title)
		}
	}
	if len(left) == 0 {
		return "Back in work: every step is recorded."
	}
	return fmt.Sprintf("Back in work: every gate is recorded. Not recorded: %s.", strings.Join(left, ", "))
}

// forms fills in the forms of the page; f is one of them that failed.
func (v *standingPage) forms(c *echo.Context, f *frame.Form) {
	by := frame.Who(c)
	v.Survey = frame.Blank("survey", "by", by, "accuracy_mv", frame.Last(c, "accuracy_mv"), "instrument",
		frame.Last(c, "instrument"))
	v.Gates, v.Step = frame.Blank("gates", "by", by), frame.Blank("step", "by", by)
	v.Alone = frame.Query(c, "step")+frame.Query(c, "alone") != ""
	v.Test, v.Act = frame.Blank("test", "by", by), frame.Blank("extend", "by", by)
	v.JoinF = frame.Blank("join", "by", by)
	v.CellsF = frame.Blank("cells", "by", by, "version", strconv.Itoa(v.Standing.Version), "series",
		numeral.CountText(v.Cells.Series, v.Cells.May), "chemistry", string(v.Cells.Chemistry), "ah",
		frame.Rated(v.Cells.Ah,
			v.Cells.Wh), "bms",
		v.Cells.BMS, "opens", v.Cells.Opens, "made", v.Cells.Made, "ways", v.Cells.Ways, "freezes", v.Cells.Freezes,
		"frost_by", v.Cells.FrostBy, "owners", v.Cells.Owners, "day_ah", frame.Rated(v.Cells.DayAh, v.Cells.DayWh),
		"in_string", frame.Count(v.Cells.InString))
	if f != nil {
		switch f.Kind {
		case "gates":
			v.Gates = f
		case "step":
			v.Step, v.Alone = f, v.Alone || f.Bad()
		case "survey":
			v.Survey = f
		case "test":
			v.Test = f
		case "cells":
			v.CellsF = f
		case "extend":
			v.Act = f
		case "join":
			v.JoinF = f
		}
	}
	if last, read := v.Newest(); read {
		v.Judged, v.Sitting = &last.Judged, last.ID
	}
	v.OnePage = v.Bank.FullVolts <= v.Bank.TouchVolts()
	if v.OnePage {
		v.DownPage, v.UpPage = gateRows(v.Down, f), gateRows(v.Up, f)
		open := func(r gateRow) bool { return r.Gate }
		v.DownOpen, v.UpOpen = slices.ContainsFunc(v.DownPage, open), slices.ContainsFunc(v.UpPage, open)
	}
}

// gateRows are the gates of one direction that are still open, as lines of one form.
func gateRows(states []gates.State, f *frame.Form) (out []gateRow) {
	for _, st := range states {
		if st.Done {
			continue
		}
		r := gateRow{State: st, Field: "g-" + st.Key}
		if f != nil && f.Kind == "gates" {
			r.Value, r.Error, r.Ticked = f.Get(r.Field), f.Bads[r.Field], f.Get(r.Field) == "yes"
		}
		out = append(out, r)
	}
	return out
}

// saveServiceGates keeps ticks and readings of one direction at once. Readings stay compulsory: each is judged as if it
// had been recorded alone, and the first that does not pass ends it.
func (sv *Room) saveServiceGates(c *echo.Context, id int64) error {
	return frame.Post(c, "gates", func(f *frame.Form) (frame.Act, error) {
		s, _, err := sv.stands(c, id, f)
		if err != nil {
			return nil, err
		}
		if s.Bank.FullVolts > s.Bank.TouchVolts() {
			return nil, kernel.Bad("", "above the limit of touch each step is recorded by itself")
		}
		states := s.Down
		if f.Get("way") == "up" {
			states = s.Up
		}
		var in []steps.Input
		for _, st := range states {
			if st.Done {
				continue
			}
			x, given := gateInput(f, st)
			x.Token = f.Once() + "-" + st.Key
			switch field := "g-" + st.Key; {
			case given:
				in = append(in, x)
			case st.Gate && f.Bads[field] == "":
				f.Bads[field] = "not done yet"
				if st.Ask == gates.AskReading || st.Ask == gates.AskVolts {
					f.Bads[field] = "expected the reading: it is measured, not ticked"
				}
			}
		}
		return func() (string, error) {
			key, err := sv.Shop.Procedure.RecordSteps(c.Request().Context(), procedure.Standing, id, in, f.Once())
			if err != nil && key != "" {
				var inv *kernel.Invalid
				if errors.As(err, &inv) {
					text := inv.Error()
					f.Bads["g-"+key] = text[strings.LastIndex(text, ": ")+1:]
				}
			}
			return openPath(id) + "#gates", err
		}, nil
	}, func(code int, f *frame.Form) error { return sv.ShowStands(c, code, id, f) })
}

// openPath is the page of a bank as one thing that stands: opened, surveyed, tested, brought back.
func openPath(id int64) string { return fmt.Sprintf("/banks/%d/open", id) }

// gateInput reads one gate of the page of all of them; given is false where nothing was ticked or read.
func gateInput(f *frame.Form, st gates.State) (x steps.Input, given bool) {
	field := "g-" + st.Key
	x = steps.Input{Step: st.Key}
	value := strings.TrimSpace(f.Get(field))
	switch st.Ask {
	case gates.AskReading, gates.AskVolts:
		if value != "" {
			v := f.Num(field)
			x.Reading = &v
		}
		return x, value != ""
	case gates.AskTotals:
		if value != "" {
			v := f.Num(field)
			x.Reading, x.Other = &v, f.Maybe(field+"-other")
		}
		return x, value != ""
	case gates.AskName:
		x.Name = value
		return x, value != ""
	case gates.AskIsolation:
		if f.Get("pack_v")+f.Get("pos_v")+f.Get("neg_v") == "" {
			return x, false
		}
		c := f.AgainstCase()
		c.PackVolts, c.PositiveVolts, c.NegativeVolts = f.Num("pack_v"), f.Num("pos_v"), f.Num("neg_v")
		x.Case = &c
		return x, true
	}
	x.Confirm = value == "yes"
	return x, x.Confirm
}

func (sv *Room) saveStandingSurvey(c *echo.Context, id int64) error {
	return sv.onStanding(c, id, "survey", func(f *frame.Form) func() error {
		in, _ := readingsOf(f)
		if len(in.Volts) == 0 && !in.Part.Is() && f.Bads["grid"] == "" {
			f.Bads["grid"] = "expected the group voltages, from the main negative up, or the volts end to end"
		}
		return func() error { return sv.Shop.Procedure.RecordStandingSurvey(c.Request().Context(), id, in) }
	})
}

// SaveTest keeps a discharge of a bank that stands.
func (sv *Room) SaveTest(c *echo.Context, id int64) error {
	return sv.onStanding(c, id, "test", func(f *frame.Form) func() error {
		in := f.BankTest()
		return func() error {
			_, err := sv.Shop.Procedure.RecordBankTest(c.Request().Context(), id, in, f.Once())
			return err
		}
	})
}

func (sv *Room) saveCells(c *echo.Context, id int64) error {
	return sv.onStanding(c, id, "cells", func(f *frame.Form) func() error {
		in, version := cellsOf(f), f.Whole("version", 0)
		return func() error {
			return sv.Shop.Procedure.DeclareCells(c.Request().Context(), id, version, in, f.Once())
		}
	})
}

// toldIn is where on the page what a form saved is answered; the others are answered by its first screen.
var toldIn = map[string]string{"fit": "#bms", "sense": "#sense", "test": "#tests", "join": "#second"}

// onStanding handles one of the forms of a standing bank's page.
func (sv *Room) onStanding(c *echo.Context, id int64, kind string, bind func(f *frame.Form) func() error) error {
	return frame.Post(c, kind, func(f *frame.Form) (frame.Act, error) {
		do := bind(f)
		return func() (string, error) { return openPath(id) + toldIn[kind], do() }, nil
	}, func(code int, f *frame.Form) error { return sv.ShowStands(c, code, id, f) })
}

// join writes down that another bank that stands is to be on the same bars.
func (sv *Room) join(c *echo.Context, id int64) error {
	return sv.onStanding(c, id, "join", func(f *frame.Form) func() error {
		other := int64(f.Whole("other", 0))
		return func() error { return sv.Shop.Procedure.Join(c.Request().Context(), id, other, f.Once()) }
	})
}

// extend makes the need of a second string, and goes to its ways.
func (sv *Room) extend(c *echo.Context, id int64) error {
	return frame.Post(c, "extend", func(f *frame.Form) (frame.Act, error) {
		return func() (string, error) {
			b, err := sv.Shop.Procedure.Extend(c.Request().Context(), id, f.Once())
			return frame.Made("/banks/", b.ID, fmt.Sprintf("/banks/%d", id), err)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.ShowStands(c, code, id, f) })
}

func (sv *Room) saveServiceStep(c *echo.Context, id int64) error {
	return frame.Post(c, "step", func(f *frame.Form) (frame.Act, error) {
		in := f.Step()
		return func() (string, error) {
			_, err := sv.Shop.Procedure.RecordStep(c.Request().Context(), procedure.Standing, id, in)
			return openPath(id) + "?alone=1#one", err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.ShowStands(c, code, id, f)
	})
}
