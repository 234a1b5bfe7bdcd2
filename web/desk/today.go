package desk

import (
	"fmt"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/survey"
	"pandrel/draw"
	"pandrel/shop/desk"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
)

// todayView is the first page: what to do now, in order of urgency.
type todayView struct {
	desk.Today
	Do       []doView
	HeldFree []record.Row // held modules that stand in no bank
	Stock    desk.StockView
	Odd      string // the odd ones as small strips
	WorkName string // the bank in work, whose drawing comes after the page
	WorkHref string
	Summary  string
	Level    string
}

// doView is one thing to do. Level picks its shape and colour.
type doView struct {
	Level, Text, Why, Href, Act string
}

func (sv *Room) today(c *echo.Context) error {
	t, err := sv.Shop.Desk.Today(c.Request().Context())
	if err != nil {
		return err
	}
	v := todayView{Today: t}
	v.doTests()
	v.doInService()
	inBank := v.doBankTroubles()
	v.doReadings(inBank)
	v.doOpened()
	v.doBanks()
	for _, w := range t.Path {
		if word, ok := pathWords[w.Station]; ok && w.Count > 0 {
			v.add("ready", "/station/"+string(w.Station), word[0], word[1], "", w.Count)
		}
	}
	v.Summary, v.Level = summary(t)
	if err := sv.pictures(c, &v); err != nil {
		return err
	}
	if v.Stock, err = sv.Shop.Desk.Stock(c.Request().Context()); err != nil {
		return err
	}
	return sv.Show(c, http.StatusOK, "today", "Today", v)
}

// mostOdd is how many odd modules are drawn on the first page.
const mostOdd = 6

// pictures draws what matters now: the odd modules against their own medians, and the bank in work.
func (sv *Room) pictures(c *echo.Context, v *todayView) error {
	ctx := c.Request().Context()
	var mods []draw.StripModule
	for _, r := range v.Suspects[:min(len(v.Suspects), mostOdd)] {
		volts, err := sv.Shop.Record.VoltsOf(ctx, r.ID)
		if err != nil {
			return err
		}
		mods = append(mods, draw.StripModule{Name: r.Number, Volts: volts, Verdict: string(r.Verdict)})
	}
	if len(mods) > 0 {
		v.Odd = draw.NarrowStrip("Odd modules, each group against its own median", mods)
	}
	for _, b := range v.Banks {
		if b.Station != station.Wire {
			continue
		}
		v.WorkName = b.Name
		v.WorkHref = fmt.Sprintf("/banks/%d", b.ID)
		break
	}
	return nil
}

// pathWords are what to press and what it says for the stations that modules wait at.
var pathWords = map[station.Station][2]string{
	station.Receive: {"Add modules", "%d lot without modules."},
	station.Inspect: {"Look", "%d to look at before measuring."},
	station.Map:     {"Map", "%d of a type without a layout: one map serves all of them."},
	station.Survey:  {"Survey", "%d to survey, a voltage for every group."},
	station.Test:    {"Test", "%d to test for capacity."},
	station.Grade:   {"Grade", "%d tested, to be graded."},
}

// add adds something to do.
func (v *todayView) add(level, href, act, text, why string, args ...any) {
	v.Do = append(v.Do, doView{level, fmt.Sprintf(text, args...), why, href, act})
}

// doTests lists the tests that something stands against: nothing is more urgent while current flows.
func (v *todayView) doTests() {
	for _, x := range v.Tests {
		v.add("stop", x.Href, "See to it", "%s", strings.TrimSpace(x.Finding.Do+" "+x.Trouble), x.Says())
	}
}

// doInService lists banks in service that would be refused today for more than their modules, which stand below.
func (v *todayView) doInService() {
	for _, b := range v.InService {
		if slices.ContainsFunc(v.BankTrouble, func(x desk.BankTrouble) bool { return x.Bank.ID == b.Bank.ID }) {
			continue
		}
		f := b.Findings[0]
		v.add("stop", fmt.Sprintf("/banks/%d", b.Bank.ID), "Take it out of service", "%s is in service: %s", f.Do,
			b.Bank.Name, f.Text)
	}
}

// doBankTroubles lists banks that hold what must not be in them, and returns the modules that it speaks of.
func (v *todayView) doBankTroubles() map[string]bool {
	inBank := map[string]bool{}
	for _, b := range v.BankTrouble {
		level, act, what := "stop", "See to it", "is being built with"
		if b.Bank.Station == station.Keep {
			act, what = "Take it out of service", "is in service with"
		}
		worst := b.Troubles[0]
		for _, x := range b.Troubles {
			inBank[x.Number] = true
			if !worst.Bad() && x.Bad() {
				worst = x
			}
		}
		if !worst.Bad() {
			level, act = "next", "Look at it"
		}
		v.add(level, fmt.Sprintf("/banks/%d", b.Bank.ID), act, "%s %s %s, which %s.", more(len(b.Troubles)-1),
			b.Bank.Name, what, worst.Number, worst.Text)
	}
	return inBank
}

// doReadings lists what must be read again, and what is held outside of banks.
func (v *todayView) doReadings(inBank map[string]bool) {
	for _, r := range v.Reread {
		v.add("stop", frame.ModulePath(r.Number, "survey"), "Read again", "%s: a reading cannot be right.",
			"No charge step may be planned until it is settled.", r.Number)
	}
	for _, r := range v.Held {
		if !inBank[r.Number] && r.Verdict != survey.Reread {
			v.HeldFree = append(v.HeldFree, r)
		}
	}
	switch n := len(v.HeldFree); {
	case n == 1:
		v.add("stop", frame.ModulePath(v.HeldFree[0].Number), "Settle it", "%s %s.", "It goes into no bank before.",
			v.HeldFree[0].Number, strings.TrimSuffix(v.HeldFree[0].Hold, "."))
	case n > 1:
		v.add("stop", "#held", "See them", "%d modules are held.", "They go into no bank before it is settled.", n)
	}
}

// doOpened lists what lies open, and whose banks are not back yet.
func (v *todayView) doOpened() {
	for _, o := range v.Opened {
		if o.Missing != "" {
			v.add("stop", frame.ModulePath(o.Number, "open"), "Look for it", "%s: a part is missing.", o.Missing,
				o.Number)
		} else {
			v.add("next", frame.ModulePath(o.Number, "open"), "Close it", "%s is open.", "Its parts lie in the tray.",
				o.Number)
		}
	}
	for _, o := range v.StandHeld {
		v.add("stop", fmt.Sprintf("/banks/%d", o.ID), "See to it", "%s must not be in work.", o.Next, o.Name)
	}
	for _, o := range v.OutOfWork {
		v.add("next", fmt.Sprintf("/banks/%d", o.ID), "Go on", "%s is being worked on.", "Next: "+o.Next+".", o.Name)
	}
}

// doBanks lists the next step of every bank that waits.
func (v *todayView) doBanks() {
	for _, b := range v.Banks {
		href := fmt.Sprintf("/banks/%d", b.ID)
		switch {
		case b.Station == station.Design:
			v.add("next", href, "Choose a design", "%s waits for a design.",
				"Series counts, modules and what each way loses are worked out.", b.Name)
		case b.Station == station.Wire && b.BMS == "":
			v.add("next", href, "Choose a BMS", "%s has no BMS yet.", "A bank without one that can disconnect is not "+
				"built.", b.Name)
		case b.Station == station.Wire:
			v.add("next", href, "Go on", "%s is being wired.", "Sense leads, then the gates into service.", b.Name)
		}
	}
}

// more says how many others there are.
func more(n int) string {
	switch n {
	case 0:
		return ""
	case 1:
		return "One more module of it is to be settled."
	}
	return fmt.Sprintf("%d more of its modules are to be settled.", n)
}

// counted counts what the sentence of the first page speaks of: banks that wait, modules that can move on, banks that
// must not go on, and tests that run and must not.
func counted(t desk.Today) (banks, waiting, troubled, tests int) {
	for _, w := range t.Path {
		switch w.Station {
		case station.Inspect, station.Map, station.Survey, station.Test, station.Grade:
			waiting += w.Count
		}
	}
	for _, b := range t.Banks {
		if b.Station != station.Keep {
			banks++
		}
	}
	for _, b := range t.BankTrouble {
		for _, x := range b.Troubles {
			if x.Bad() {
				troubled++
				break
			}
		}
	}
	for _, b := range t.InService {
		if !slices.ContainsFunc(t.BankTrouble, func(x desk.BankTrouble) bool { return x.Bank.ID == b.Bank.ID }) {
			troubled++
		}
	}
	for _, x := range t.Tests {
		if x.Runs {
			tests++
		}
	}
	return banks, waiting, troubled, tests
}

// summary is the sentence the first page opens with.
func summary(t desk.Today) (text, level string) {
	var parts []string
	say := func(n int, one, many string) {
		switch {
		case n == 1:
			parts = append(parts, one)
		case n > 1:
			parts = append(parts, fmt.Sprintf(many, n))
		}
	}
	banks, waiting, troubled, tests := counted(t)
	say(tests, "one test runs that must not", "%d tests run that must not")
	say(troubled, "one bank must not go on as it is", "%d banks must not go on as they are")
	say(len(t.Reread), "one module must be read again", "%d modules must be read again")
	say(banks, "one bank waits for you", "%d banks wait for you")
	say(waiting, "one module can move on", "%d modules can move on")
	if len(parts) == 0 {
		return "Nothing waits.", "ok"
	}
	text = parts[0]
	for i, p := range parts[1:] {
		if i == len(parts)-2 {
			text += " and " + p
		} else {
			text += ", " + p
		}
	}
	level = "ready"
	if len(t.Reread) > 0 || troubled > 0 || tests > 0 {
		level = "stop"
	}
	return strings.ToUpper(text[:1]) + text[1:] + ".", level
}

type searchView struct {
	Text  string
	Mods  []record.Row
	Banks []bankLink
}

type bankLink struct {
	Href, Name, Client string
	State              string // where it is, or what it is
}

// scannedText is what a scanned code names: of a label's whole address the number, of a tray's number the
// module with the part after the slash.
func scannedText(q string) (number, tray string) {
	q = strings.TrimSpace(frame.Clip(q, 200))
	if u, err := url.Parse(q); err == nil && u.Host != "" {
		_, q = path.Split(strings.TrimRight(u.Path, "/"))
		if dir := path.Dir(u.Path); path.Base(dir) != "m" && path.Base(dir) != "modules" {
			q = ""
		}
	}
	if k := strings.LastIndexByte(q, '/'); k > 0 {
		if _, err := strconv.Atoi(q[k+1:]); err == nil {
			return q[:k], q[k+1:]
		}
	}
	return frame.Clip(q, 60), ""
}

// search opens a module at once when its whole number is typed or scanned, and the open module when it is a
// number from its tray.
func (sv *Room) search(c *echo.Context) error {
	text, tray := scannedText(frame.Query(c, "q"))
	mods, banks, err := sv.Shop.Desk.Search(c.Request().Context(), text)
	if err != nil {
		return err
	}
	if len(mods) > 0 && strings.EqualFold(mods[0].Number, text) {
		where := frame.ModulePath(mods[0].Number)
		if tray != "" {
			where += "/open"
		}
		return c.Redirect(http.StatusSeeOther, where)
	}
	v := searchView{Text: text, Mods: mods}
	for _, b := range banks {
		state := map[store.Origin]string{store.Stands: "stands", store.Whole: "whole pack"}[b.Origin]
		if state == "" {
			state = b.Station.Name()
		}
		v.Banks = append(v.Banks, bankLink{fmt.Sprintf("/banks/%d", b.ID), b.Name, b.Client, state})
	}
	return sv.Show(c, http.StatusOK, "search", "Search", v)
}

func (sv *Room) keys(c *echo.Context) error {
	return sv.Show(c, http.StatusOK, "keys", "Keys", nil)
}

// glyphs serves one state's shape as a file, for documents outside the pages.
func (sv *Room) glyphs(c *echo.Context) error {
	d := draw.Glyph(frame.Query(c, "state"))
	return c.Blob(http.StatusOK, "image/svg+xml", []byte(
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 16 16" fill="none" `+
			`stroke="#16313a" stroke-width="1.6"><path d="`+d+`"/></svg>`))
}

// stationPage is a station where modules wait.
type stationPage struct {
	Station station.Station
	Rows    []record.Row
	Page    kernel.Page
	Form    *frame.Form // one token for the small forms of the rows: each is told apart by its path
	Batch   desk.Batch  // the page that takes a lot at once, its Page "" where there is none
	Lots    []desk.LotAt
	First   string // the module to begin with where one of them serves the others, "" elsewhere
}

// station shows what waits at a station; those of lots and of banks have pages of their own.
func (sv *Room) station(c *echo.Context) error {
	at := station.Station(c.Param("station"))
	if !at.Known() {
		return kernel.Missing("station %s", frame.Clip(string(at), 20))
	}
	rows, page, err := sv.Shop.Desk.At(c.Request().Context(), at, frame.PageNo(c), record.PageSize)
	if err != nil {
		return err
	}
	v := stationPage{Station: at, Rows: rows, Page: page, Form: frame.Blank("row", "by", frame.Who(c))}
	if i := slices.IndexFunc(desk.Batches, func(b desk.Batch) bool { return b.At == at }); i >= 0 {
		v.Batch = desk.Batches[i]
		if v.Lots, err = sv.Shop.Desk.LotsAt(c.Request().Context(), at); err != nil {
			return err
		}
	}
	if at == station.Map {
		if v.First, err = sv.Shop.Desk.First(c.Request().Context(), at, 0, 0); err != nil {
			return err
		}
	}
	return sv.ShowAt(c, http.StatusOK, "station", at.Name(), at, v)
}

// who asks for the initials that this browser signs with for the day.
func (sv *Room) who(c *echo.Context) error {
	return sv.Show(c, http.StatusOK, "who", "Who is at this bench", frame.Blank("who", "by", ""))
}

// saveWho remembers them; the next person at the bench types others.
func (sv *Room) saveWho(c *echo.Context) error {
	return frame.Post(c, "who", func(f *frame.Form) (frame.Act, error) {
		if strings.TrimSpace(f.Get("by")) == "" {
			f.Bads["by"] = "expected initials, such as AK"
		}
		return func() (string, error) { return "/", nil }, nil
	}, func(code int, f *frame.Form) error { return sv.Show(c, code, "who", "Who is at this bench", f) })
}

// undo takes back what was saved a moment ago, and goes back to where that was done.
func (sv *Room) undo(c *echo.Context) error {
	return frame.Post(c, "undo", func(f *frame.Form) (frame.Act, error) {
		return func() (string, error) {
			_, err := sv.Shop.Undo.Undo(c.Request().Context(), f.Get("saved"), f.Once())
			if err != nil {
				return "", err
			}
			frame.Undone(c)
			return frame.Back(c, "/"), nil
		}, nil
	}, func(code int, f *frame.Form) error { return sv.Show(c, code, "who", "Cannot be undone", f) })
}
