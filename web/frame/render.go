package frame

import (
	"bytes"
	"errors"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"maps"
	"math"
	"net/http"
	"net/url"
	"path"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/base/typed"
	"pandrel/core/module/grade"
	"pandrel/core/test/logfile"
	"pandrel/draw"
	"pandrel/shop/desk"
	"pandrel/shop/kernel"
	"pandrel/shop/undo"
	"pandrel/store"
	"pandrel/web/choice"
	"pandrel/web/door"
	"pandrel/web/number"
)

func Limiting(g *int) int {
	if g == nil {
		return 0
	}
	return *g
}

// Known writes a value for a form, empty where it is not known.
func Known(v float64) string {
	if v == 0 {
		return ""
	}
	return fmt.Sprint(v)
}

// pages are the parsed templates: each page with the layout and the parts.
type pages map[string]*template.Template

func loadPages(files fs.FS, shipped *assets, here func(time.Time) time.Time) (pages, error) {
	names, err := fs.Glob(files, "templates/*.html")
	if err != nil {
		return nil, err
	}
	out, own := pages{}, number.Clock(here)
	own["asset"] = shipped.address
	for _, n := range names {
		base := strings.TrimSuffix(path.Base(n), ".html")
		if base == "layout" || base == "parts" {
			continue
		}
		t, err := template.New("layout").Funcs(funcs).Funcs(own).ParseFS(files,
			"templates/layout.html", "templates/parts.html", n)
		if err != nil {
			return nil, err
		}
		out[base] = t
	}
	return out, nil
}

// Render writes a page; a name after # is a part of it, for htmx.
func (p pages) Render(c *echo.Context, w io.Writer, name string, data any) error {
	page, part, _ := strings.Cut(name, "#")
	t, ok := p[page]
	if !ok {
		return fmt.Errorf("no page %q", page)
	}
	if part == "" {
		part = "layout.html"
	}
	// Into a buffer first, so that a template that fails sends no half page.
	var b bytes.Buffer
	if err := t.ExecuteTemplate(&b, part, data); err != nil {
		return err
	}
	page = b.String()
	if f, ok := c.Get(failedForm).(*Form); ok {
		page = withAll(page, f)
	}
	_, err := io.WriteString(w, page)
	return err
}

// failedForm is under what a request keeps the form that cannot be saved.
const failedForm = "failed"

// mainOpens is where the content of a page begins.
var mainOpens = regexp.MustCompile(`<main id="main"[^>]*>`)

// withAll puts what is wrong with a form on top of its page where the page has no place for it: a form that is not
// saved never comes back without a word.
func withAll(page string, f *Form) string {
	var missing []string
	for _, name := range slices.Sorted(maps.Keys(f.Bads)) {
		text := template.HTMLEscapeString(f.Bads[name])
		if text != "" && !strings.Contains(page, text) {
			missing = append(missing, text)
		}
	}
	for _, s := range f.Stops {
		if text := template.HTMLEscapeString(s.Text); !strings.Contains(page, text) {
			missing = append(missing, text+" "+template.HTMLEscapeString(s.Do))
		}
	}
	if len(missing) == 0 {
		return page
	}
	alert := `<p class="err invalid-feedback" role="alert">` + strings.Join(missing, ". ") + "</p>"
	at := mainOpens.FindStringIndex(page)
	if at == nil { // a part of a page
		return alert + page
	}
	return page[:at[1]] + alert + page[at[1]:]
}

// view is what every page gets.
type view struct {
	Title string
	Path  []stationView
	CSRF  string
	By    string
	Here  station.Station // the station the page belongs to
	Now   time.Time
	Undo  *Form            // takes back what was saved last, nil where that is longer ago than a minute
	Open  string           // what to say where other machines reach the workshop
	Gone  *store.FileError // the workshop's file, where it is not there any more
	Meter bool             // a bench meter is set up
	V     any
}

type stationView struct {
	desk.Waiting
	Name string
	Age  string
	Here bool
}

// Show renders a page inside the frame.
func (sv *Frame) Show(c *echo.Context, code int, page, title string, v any) error {
	return sv.ShowAt(c, code, page, title, "", v)
}

func (sv *Frame) ShowAt(c *echo.Context, code int, page, title string, here station.Station, v any) error {
	out, err := sv.Around(c, title, here, v)
	if err != nil {
		return err
	}
	return c.Render(code, page, out)
}

func (sv *Frame) Around(c *echo.Context, title string, here station.Station, v any) (view, error) {
	waiting, err := sv.Shop.Desk.Path(c.Request().Context())
	if err != nil {
		return view{}, err
	}
	out := view{Title: title, CSRF: csrf(c), By: Who(c), Here: here, Now: sv.Shop.Now(),
		Meter: sv.Shop.MeterAddress != "", V: v}
	if saved := undoable(c); saved != "" && sv.Shop.Undo.MayUndo(c.Request().Context(), saved) {
		out.Undo = Blank("undo", "saved", saved, "by", out.By)
	}
	if sv.open {
		out.Open = door.OpenToAll
	}
	_ = errors.As(sv.Shop.Store.Here(), &out.Gone)
	for _, w := range waiting {
		st := stationView{Waiting: w, Name: w.Station.Name(), Here: w.Station == here}
		if w.Count > 0 {
			st.Age = age(sv.Shop.Now().Sub(w.Oldest))
		}
		out.Path = append(out.Path, st)
	}
	return out, nil
}

// undoable is the token of the form that this browser saved last, "" where that is longer ago.
func undoable(c *echo.Context) string {
	return Clip(Cookie(c, undoCookie), 70)
}

// Undone forgets what was saved last.
func Undone(c *echo.Context) {
	c.SetCookie(&http.Cookie{Name: undoCookie, Path: "/", MaxAge: -1, SameSite: http.SameSiteStrictMode,
		HttpOnly: true})
}

// ModuleOf returns the module that the address names, and its type.
func (sv *Frame) ModuleOf(c *echo.Context) (m store.Module, t store.ModuleType, err error) {
	return sv.Shop.ModuleWithType(c.Request().Context(), c.Param("number"))
}

// word is a state as a word, whatever type of word its package has for it.
func word(state any) string {
	if v := reflect.ValueOf(state); v.Kind() == reflect.String {
		return v.String() // without fmt: a list of modules asks thousands of times
	}
	return fmt.Sprint(state)
}

// glyph is the shape of a state.
func glyph(state string) template.HTML {
	if h, ok := glyphs.Load(state); ok {
		return h.(template.HTML)
	}
	h := template.HTML(`<svg class="glyph" viewBox="0 0 16 16" aria-hidden="true"><path d="` + draw.Glyph(state) +
		`"/></svg>`)
	if draw.HasGlyph(state) { // what else is asked for is not kept
		glyphs.Store(state, h)
	}
	return h
}

var glyphs sync.Map // of states, as they stand in pages

func csrf(c *echo.Context) string {
	s, _ := c.Get("csrf").(string)
	return s
}

// Cookies of the frame: the guard against forms of other sites, and which form the page's script may forget.
const (
	guardCookie = "pandrel_csrf"
	guardField  = "_csrf"
	guardHeader = "X-CSRF-Token"
	savedCookie = "pandrel_saved"
	undoCookie  = "pandrel_undo" // the last form that was saved, for a minute
)

// Who returns the initials last used in this browser.
func Who(c *echo.Context) string {
	return Clip(Cookie(c, "pandrel_by"), 8)
}

func Clip(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n])
	}
	return s
}

// lasting are the fields whose last value stands for the next time in this browser: the meter. How long
// something rested
// and how warm it was belongs to what was measured: filled in unasked it would be kept as if somebody had said it.
var lasting = []string{"instrument", "accuracy_mv"}

// Last is the last value of a lasting field in this browser, "" for none.
func Last(c *echo.Context, field string) string {
	v, err := url.QueryUnescape(Cookie(c, "pandrel_last_"+field))
	if err != nil {
		return ""
	}
	return Clip(typed.Clean(v), 60)
}

// keepLast remembers the lasting fields of a form that was saved, until the day is over.
func keepLast(c *echo.Context, f *Form) {
	for _, name := range lasting {
		if _, sent := f.Values[name]; !sent {
			continue
		}
		v := Clip(strings.TrimSpace(f.Get(name)), 60)
		c.SetCookie(&http.Cookie{Name: "pandrel_last_" + name, Value: url.QueryEscape(v), Path: "/",
			Expires: dayEnd(time.Now()), SameSite: http.SameSiteStrictMode, HttpOnly: true})
	}
}

// dayEnd is four in the morning after t: a late evening at the bench is still the same day.
func dayEnd(t time.Time) time.Time {
	end := time.Date(t.Year(), t.Month(), t.Day(), 4, 0, 0, 0, t.Location())
	if !end.After(t) {
		end = end.AddDate(0, 0, 1)
	}
	return end
}

// Saved remembers the initials, tells the page which form to forget, and goes to where.
func Saved(c *echo.Context, f *Form, where string) error { return saved(c, f, where, false) }

// saved is Saved; again says that it was saved before.
func saved(c *echo.Context, f *Form, where string, again bool) error {
	if by := strings.TrimSpace(f.Get("by")); by != "" {
		c.SetCookie(&http.Cookie{Name: "pandrel_by", Value: Clip(strings.Map(safeRune, by), 8), Path: "/",
			Expires: dayEnd(time.Now()), SameSite: http.SameSiteStrictMode, HttpOnly: true})
	}
	keepLast(c, f)
	if !again {
		c.SetCookie(&http.Cookie{Name: undoCookie, Value: f.Once(), Path: "/", MaxAge: undo.UndoSeconds,
			SameSite: http.SameSiteStrictMode, HttpOnly: true})
	}
	token := f.Get("token")
	if again {
		token += ".again"
	}
	c.SetCookie(&http.Cookie{Name: savedCookie, Value: token, Path: "/", MaxAge: 60, SameSite: http.SameSiteStrictMode})
	return c.Redirect(http.StatusSeeOther, where)
}

func safeRune(r rune) rune {
	if r < ' ' || r > '~' || strings.ContainsRune(`";,\`, r) {
		return -1
	}
	return r
}

// Made is where a person goes once something was made: to its page, or to the list of its kind where it was made by an
// earlier sending of the same form, which did not say its id.
func Made(page string, id int64, list string, err error) (string, error) {
	if Again(err) {
		return list, err
	}
	return page + strconv.FormatInt(id, 10), err
}

// ModulePath is the address of a module's page, or of one of its parts.
func ModulePath(number string, part ...string) string {
	return strings.Join(append([]string{"/modules/" + url.PathEscape(number)}, part...), "/")
}

// Again reports whether err only says that this form was saved before.
func Again(err error) bool {
	var a *kernel.Again
	return errors.As(err, &a)
}

// when is a moment as a page says it: for machines and people alike, and put by the page's script into the form that
// the browser's language uses.

// rated is the plate's capacity, or that nobody knows it.
func rated(t store.ModuleType) (template.HTML, error) {
	switch {
	case t.RatedAh <= 0 && t.RatedWh > 0:
		return number.Tell("typed", Rated(0, t.RatedWh)+" by its label: amp hours follow from chemistry and groups")
	case t.RatedAh <= 0:
		return "rated capacity not known", nil
	case t.RatedWh > 0:
		return number.Tell("typed", fmt.Sprintf("%.1f Ah rated, from %s by its label", t.RatedAh, Rated(0, t.RatedWh)))
	}
	return number.Tell("typed", numeral.Text(t.RatedAh)+" Ah rated")
}

// About is a time as a person holds it in the head.
func About(seconds float64) string {
	switch {
	case seconds < 90:
		return fmt.Sprintf("%.0f s", seconds)
	case seconds < 5400:
		return fmt.Sprintf("%.0f min", seconds/60)
	}
	return fmt.Sprintf("%.1f h", seconds/3600)
}

var funcs = template.FuncMap{
	"about":  About,
	"cite":   finding.Cite,
	"num":    number.Num,
	"known":  number.Known,
	"likely": known.Value.Likely,
	// either is one of two texts, by what is true.
	"either":  func(yes bool, a, b string) string { return map[bool]string{true: a, false: b}[yes] },
	"marked":  number.Marked,
	"figure":  number.Figure,
	"tell":    number.Tell,
	"told":    func(text any) (template.HTML, error) { return number.Tell("worked", text) },
	"shown":   number.Of,
	"n1":      number.Shape("n1"),
	"rated":   rated,
	"n2":      number.Shape("n2"),
	"share":   number.Shape("share"),
	"g":       numeral.Text,
	"deref":   func(v *float64) float64 { return *v },
	"deref64": func(v *int64) int64 { return *v },
	"svg":     func(s string) template.HTML { return template.HTML(s) },
	//nolint:gosec // only from package draw, which escapes
	"glyph": func(state any) template.HTML { return glyph(word(state)) },
	"dated": func(s string) any { // a day that was typed
		if t, err := time.Parse(time.DateOnly, s); err == nil {
			return number.When(t, "day", time.DateOnly)
		}
		return s
	},
	"count": numeral.Count,
	"since": func(now, t time.Time) (template.HTML, error) {
		if t.IsZero() {
			return "", nil
		}
		return number.Tell("worked", age(now.Sub(t)))
	},
	"pathed":      url.PathEscape,
	"choose":      choose,
	"these":       choice.These,
	"leading":     choice.Leading,
	"placed":      choice.ShownOf,
	"named":       choice.Named,
	"typesof":     choice.TypesOf,
	"systems":     choice.Systems,
	"histories":   choice.Histories,
	"switches":    choice.Switches,
	"history":     choice.History,
	"station":     station.Station.Name,
	"chemistries": choice.Chemistries,
	"chem":        func(id any) string { return choice.Chemistry(chem.ID(fmt.Sprint(id))) },
	"seq": func(n int) []int { // 1 to n
		out := make([]int, n)
		for i := range out {
			out[i] = i + 1
		}
		return out
	},
	"answerlevel": func(l finding.Level) string {
		if l == finding.Note {
			return ""
		}
		return l.String()
	},
	"add":  func(a, b int) int { return a + b },
	"list": func(s ...any) []any { return s },
	"last": func(s any) any { v := reflect.ValueOf(s); return v.Index(v.Len() - 1).Interface() },
	"dict": func(s ...any) map[string]any {
		out := map[string]any{}
		for i := 0; i+1 < len(s); i += 2 {
			out[s[i].(string)] = s[i+1]
		}
		return out
	},
	"fields": strings.Fields,
	"join":   func(s []string) string { return strings.Join(s, ", ") },
	"field": func(f *Form, name, label, unit, hint string, opts ...string) fieldView {
		v := fieldView{Form: f, Name: name, Label: label, Unit: unit, Hint: hint, Value: f.Get(name),
			Error: f.Bads[name], Saved: f.Theirs[name], Type: "text"}
		for _, o := range opts {
			switch o {
			case "num":
				v.Mode, v.Class = "decimal", "num"
			case "required":
				v.Required = true
			case "date":
				v.Type = "date"
			case "datetime-local":
				v.Type = "datetime-local"
			case "wide":
				v.Class += " wide"
			case "focus":
				v.Focus = true
			}
		}
		v.ID = "f-" + f.Kind + "-" + name
		return v
	},
	"health": func(share float64) (template.HTML, error) {
		return number.Figure("worked", fmt.Sprintf("%.1f", grade.Shown(share*100)))
	},
	"kinds":    logfile.Kinds,
	"rulesof":  rulesOf,
	"assign":   logfile.KindText,
	"says":     func(f finding.Finding) []number.Datum { says, _ := f.Parts(); return number.Pieces(says) },
	"todo":     func(f finding.Finding) []number.Datum { _, do := f.Parts(); return number.Pieces(do) },
	"numbered": func() string { return fmt.Sprintf("%.0f mV", draw.NumberedVolts*1000) },
	"touchwet": func() string { return fmt.Sprintf("%.0f V", limits.TouchWetVolts) },
	"sentence": func(a ask.Answer, text string) []number.Datum { return number.Pieces(a.Parts(text)) },
	"reading":  func(f finding.Finding) *number.Datum { return number.OfFinding(f.Reading(), f.Unit) },
	"bound":    func(f finding.Finding) *number.Datum { return number.OfFinding(f.Bound(), f.Unit) },
	"interval": func(p *[2]float64, unit string) (template.HTML, error) {
		if p == nil {
			return "voltage cannot tell", nil
		}
		return number.Tell("worked", fmt.Sprintf("%+.1f to %+.1f %s", p[0], p[1], unit))
	},
	"range": func(p *[2]float64, unit string) (template.HTML, error) {
		if p == nil {
			return "voltage cannot tell", nil
		}
		return number.Tell("worked", fmt.Sprintf("%.0f to %.0f %s", p[0], p[1], unit))
	},
}

// age says how long something waits, in the one unit that matters.
func age(d time.Duration) string {
	switch {
	case d < time.Hour:
		return fmt.Sprintf("%.0f min", math.Max(0, d.Minutes()))
	case d < 48*time.Hour:
		return fmt.Sprintf("%.0f h", d.Hours())
	}
	return fmt.Sprintf("%.0f days", math.Floor(d.Hours()/24))
}

// rulesOf says which rules were used: their version is no date.
func rulesOf(version string) string {
	if k := strings.LastIndex(version, "-"); k > 0 {
		return "rules of " + version[:k] + ", no. " + version[k+1:]
	}
	return "rules " + version
}
