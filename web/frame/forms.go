package frame

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/whole"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/base/typed"
	"pandrel/core/module/isolation"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/steps"
)

// Form is a form as it was typed, with what is wrong with it. Its token makes sending it twice harmless.
type Form struct {
	Kind   string
	Values url.Values
	Bads   map[string]string
	Theirs map[string]string // what somebody else saved meanwhile
	Stops  []finding.Finding

	sent   int    // how often what it saved was taken back
	to     string // the address it was sent to
	signed string // the initials that this browser remembers, "" for none
}

// Remembered reports whether the form bears the initials that this browser remembers: it need not ask for them.
func (f *Form) Remembered() bool {
	return f.signed != "" && f.Get("by") == f.signed && f.Bads["by"] == ""
}

// fieldView is one field of a form for the template.
type fieldView struct {
	Form                                                                *Form
	ID, Name, Label, Unit, Hint, Value, Error, Saved, Type, Mode, Class string
	Required, Focus                                                     bool
}

// Blank returns an empty form with a fresh token; pairs are first values.
func Blank(name string, pairs ...string) *Form {
	f := &Form{Kind: name, Values: url.Values{"token": {freshToken()}}, Bads: map[string]string{}}
	for i := 0; i+1 < len(pairs); i += 2 {
		f.Values.Set(pairs[i], pairs[i+1])
	}
	f.signed = f.Get("by")
	return f
}

// Asked is a form whose fields stand in the address: a question that changes nothing, to be kept as a bookmark.
func Asked(c *echo.Context, name string, fields ...string) *Form {
	f := Blank(name)
	for _, k := range fields {
		f.Values.Set(k, Clip(typed.Clean(Query(c, k)), typed.Longest(k)))
	}
	return f
}

// Read takes the form that was sent.
func Read(c *echo.Context, name string) (*Form, error) {
	f, err := SoFar(c, name)
	if err != nil {
		return nil, err
	}
	if t := f.Get("token"); len(t) < 8 || len(t) > 48 {
		return nil, kernel.Bad("", "the form has no token: reload the page")
	}
	return f, nil
}

// SoFar takes a form while it is being filled in: nothing will be saved by it, so that it needs no token.
func SoFar(c *echo.Context, name string) (*Form, error) {
	note(c, everything)
	v, err := c.FormValues()
	if err != nil {
		return nil, err
	}
	f := &Form{Kind: name, Values: url.Values{}, Bads: map[string]string{}, to: c.Request().URL.Path, signed: Who(c)}
	f.clean(v)
	// Whatever the form saves is signed with the initials that stand in it.
	c.SetRequest(c.Request().WithContext(kernel.By(c.Request().Context(), f.Get("by"))))
	return f, nil
}

// clean takes over what was sent, by the one rule of what a text may be. What is too long is marked and shown.
func (f *Form) clean(sent url.Values) {
	for name, list := range sent {
		name = typed.Clean(name)
		for _, s := range list {
			s, err := typed.Field(name, s)
			if err != nil {
				f.Bads[name] = err.Error()
			}
			f.Values[name] = append(f.Values[name], s)
		}
	}
}

// Once names what was sent: the form's token with a digest of its content and address. The same content twice is one
// action; after an answer that got lost, a value that was changed is another one, and is not dropped. The rows of a
// list share a token: each is an action of its own.
func (f *Form) Once() string {
	names := make([]string, 0, len(f.Values))
	for n := range f.Values {
		if n != "_csrf" && n != "token" {
			names = append(names, n)
		}
	}
	slices.Sort(names)
	h := sha256.New()
	fmt.Fprintf(h, "%q;", f.to)
	for _, n := range names {
		fmt.Fprintf(h, "%q=%q;", n, f.Values[n])
	}
	out := f.Get("token") + "." + hex.EncodeToString(h.Sum(nil)[:6])
	if f.sent > 0 {
		out += fmt.Sprintf("u%d", f.sent)
	}
	return out
}

// Attach makes a file that was sent part of what the form says.
func (f *Form) Attach(name string, data []byte) {
	sum := sha256.Sum256(data)
	f.Values.Add("sha-"+name, hex.EncodeToString(sum[:]))
}

// Token and friends are for templates.
func (f *Form) Token() string { return f.Get("token") }

func (f *Form) Name() string { return f.Kind }

func (f *Form) Get(name string) string { return f.Values.Get(name) }

func (f *Form) Err(name string) string { return f.Bads[name] }

func (f *Form) Errs() map[string]string { return f.Bads }

func (f *Form) Now() map[string]string { return f.Theirs }

func (f *Form) Blocks() []finding.Finding { return f.Stops }

func (f *Form) Bad() bool { return len(f.Bads) > 0 || len(f.Theirs) > 0 || len(f.Stops) > 0 }

func (f *Form) On(name, value string) bool { return slices.Contains(f.Values[name], value) }

// Num reads a number that must be there.
func (f *Form) Num(name string) float64 {
	n, err := numeral.ParseIn(f.Get(name), numeral.UnitOf(name))
	if err != nil {
		f.Bads[name] = err.Error()
	}
	return n.Value
}

// Opt reads a number that may be left out; otherwise is its value then.
func (f *Form) Opt(name string, otherwise float64) float64 {
	if strings.TrimSpace(f.Get(name)) == "" {
		return otherwise
	}
	return f.Num(name)
}

// Maybe reads a number that may be left out.
func (f *Form) Maybe(name string) *float64 {
	if strings.TrimSpace(f.Get(name)) == "" {
		return nil
	}
	v := f.Num(name)
	return &v
}

// Whole reads a whole number; otherwise is its value where the field is empty.
func (f *Form) Whole(name string, otherwise int) int {
	s := strings.TrimSpace(f.Get(name))
	if s == "" {
		return otherwise
	}
	n, err := strconv.Atoi(s)
	if err != nil {
		f.Bads[name] = fmt.Sprintf("%q: expected a whole number", Clip(s, 20))
	}
	return n
}

// Volts reads fields prefix1, prefix2 … up to n, starting at from. Empty ones are errors.
func (f *Form) Volts(prefix string, from, n int) []record.TypedVolts {
	var out []record.TypedVolts
	for i := from; i < from+n; i++ {
		name := fmt.Sprintf("%s%d", prefix, i)
		written := strings.TrimSpace(f.Get(name))
		x, err := numeral.ParseIn(written, "V")
		if err != nil {
			f.Bads[name] = err.Error()
			continue
		}
		if x.Value < -2000 || x.Value > 20000 {
			f.Bads[name] = fmt.Sprintf("%s V: expected a voltage that a meter can show", Clip(written, 20))
			continue
		}
		out = append(out, record.TypedVolts{Group: i, Volts: x.Value, AsTyped: Clip(written, 40)})
	}
	return out
}

// VoltList reads voltages typed or pasted into one field, separated by blanks, lines, semicolons or columns: group 1
// first. An empty field is none.
func (f *Form) VoltList(name string) []float64 {
	out, unread := f.VoltsRead(name)
	if len(unread) > 0 && f.Bads[name] == "" {
		f.Bads[name] = fmt.Sprintf("the %d. value is left out: expected one for each", unread[0])
		return nil
	}
	return out
}

// notRead are the ways to write in a list that a value was not read.
var notRead = []string{"-", "–", "—", "?", "n/a"}

// VoltsRead reads the voltages of a list with those that were not read left out; unread are their places in it, from 1.
func (f *Form) VoltsRead(name string) (out []float64, unread []int) {
	parts := strings.FieldsFunc(f.Get(name), func(r rune) bool { return unicode.IsSpace(r) || r == ';' || r == '|' })
	for i, p := range parts {
		if p = strings.TrimSuffix(p, ","); p == "" || p == "V" {
			continue
		}
		if slices.Contains(notRead, p) {
			unread = append(unread, len(out)+len(unread)+1)
			continue
		}
		x, err := numeral.ParseIn(p, "V")
		if err != nil {
			f.Bads[name] = fmt.Sprintf("the %d. value: %v", i+1, err)
			return nil, nil
		}
		if x.Value < -10 || x.Value > 20000 {
			f.Bads[name] = fmt.Sprintf("the %d. value, %s V: expected a group's voltage", i+1, Clip(p, 20))
			return nil, nil
		}
		out = append(out, x.Value)
	}
	return out, unread
}

// Digits reads a number that may stay empty, with the weight of the last digit that was written.
func (f *Form) Digits(name, unit string) (value, digit float64) {
	if f.Get(name) == "" {
		return 0, 0
	}
	x, err := numeral.ParseIn(f.Get(name), unit)
	if err != nil {
		f.Bads[name] = err.Error()
	}
	return x.Value, x.LastDigit
}

// Rating reads a rated capacity that may stay empty: amp hours, or watt hours as a label has them. One of both is 0.
func (f *Form) Rating(name string) (ah, wh float64) {
	text := strings.TrimSpace(f.Get(name))
	for _, word := range []string{"about ", "ca. ", "~", "≈"} { // a rating is somebody's word as it is
		text = strings.TrimSpace(strings.TrimPrefix(text, word))
	}
	if strings.HasSuffix(strings.ToLower(text), "wh") {
		x, err := numeral.ParseIn(text[:len(text)-2]+"Wh", "Wh")
		if err != nil {
			f.Bads[name] = err.Error()
		}
		return 0, x.Value
	}
	if text == "" {
		return 0, 0
	}
	x, err := numeral.ParseIn(text, "Ah")
	if err != nil {
		f.Bads[name] = fmt.Sprintf("%q: not a number: expected amp hours, or watt hours such as 4.3 kWh",
			Clip(text, 40))
	}
	return x.Value, 0
}

// Rated is a rated capacity as it was typed.
func Rated(ah, wh float64) string {
	switch {
	case wh >= 1000:
		return Known(math.Round(wh*1e3)/1e6) + " kWh"
	case wh > 0:
		return Known(wh) + " Wh"
	}
	return Known(ah)
}

// BankTest reads a discharge of a whole bank.
func (f *Form) BankTest() whole.Test {
	return whole.Test{CapacityAh: f.Opt("capacity_ah", 0), EnergyWh: f.Opt("energy_wh", 0), Amps: f.Opt("amps", 0),
		TempC: f.Maybe("temp_c"), FromFull: f.Get("from_full") != "", EndedBy: f.Whole("ended_by", 0),
		EndVolts: f.Opt("end_v", 0), AtRest: f.VoltList("grid"), AtStart: f.VoltList("start_grid"),
		AsFound: f.Get("as_found") != "", Checked: f.Get("checked") != ""}
}

// Take sorts an action's error into the form. It returns what is left to report: nil when the form can show it.
func (f *Form) Take(err error) error {
	var inv *kernel.Invalid
	var con *kernel.Conflict
	var blk *kernel.Blocked
	switch {
	case errors.As(err, &inv):
		for k, v := range inv.Fields {
			f.Bads[k] = v
		}
		return nil
	case errors.As(err, &con):
		f.Bads[""] = con.Error()
		f.Theirs = con.Saved
		f.Values.Set("version", strconv.Itoa(con.Version))
		return nil
	case errors.As(err, &blk):
		f.Stops = finding.Standing(blk.Findings)
		if len(f.Stops) == 0 {
			f.Stops = blk.Findings
		}
		return nil
	}
	return err
}

// ByID hands the id of the address to a handler.
func ByID(show func(c *echo.Context, id int64) error) echo.HandlerFunc {
	return func(c *echo.Context) error {
		id, err := IdParam(c)
		if err != nil {
			return err
		}
		return show(c, id)
	}
}

func IdParam(c *echo.Context) (int64, error) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil || id < 1 {
		return 0, &kernel.NotFound{What: "page " + Clip(c.Param("id"), 20)}
	}
	return id, nil
}

// GoOn is where a person goes after a station: to the next module that waits there where that was asked for, else to
// the module's page.
func (sv *Frame) GoOn(c *echo.Context, f *Form, at station.Station, number string) (string, error) {
	if f.Get("then") == "next" {
		next, err := sv.Shop.Desk.NextModule(c.Request().Context(), at, number)
		if err != nil {
			return "", err
		}
		if next != "" {
			return ModulePath(next, string(at)), nil
		}
		return ModulePath(number) + "?done=" + string(at), nil
	}
	return ModulePath(number), nil
}

// Count writes a number for a form, empty for none.
func Count(n int) string {
	if n == 0 {
		return ""
	}
	return strconv.Itoa(n)
}

// Step reads a step of work with gates. What was left empty was not measured: it is nil, never zero.
func (f *Form) Step() steps.Input {
	in := steps.Input{Step: f.Get("step"), Reading: f.Maybe("reading"), Other: f.Maybe("other"),
		Confirm: f.Get("confirm") != "", Name: f.Get("name"), Override: f.Get("override"), Token: f.Once()}
	if f.Get("pack_v")+f.Get("pos_v")+f.Get("neg_v") != "" {
		c := f.AgainstCase()
		// all three must be there
		c.PackVolts, c.PositiveVolts, c.NegativeVolts = f.Num("pack_v"), f.Num("pos_v"), f.Num("neg_v")
		in.Case = &c
	}
	return in
}

// AgainstCase reads a form's readings against the case; empty fields are zero.
func (f *Form) AgainstCase() isolation.Readings {
	return isolation.Readings{PackVolts: f.Opt("pack_v", 0), PositiveVolts: f.Opt("pos_v", 0),
		NegativeVolts: f.Opt("neg_v", 0), MeterOhms: f.Opt("meter_mohm", 10) * 1e6,
		MeterAccuracyVolts: f.Opt("accuracy_mv", 0) / 1000,
		WorkingVolts:       f.Opt("working_v", 0), KnownOhms: f.Opt("known_ohm", 0), KnownVolts: f.Opt("known_v", 0)}
}

// Act carries out what a form asks for, and says where to go from there. With Again as the error it says where to go
// for a form that was saved before.
type Act func() (where string, err error)

// Post handles a form in the one way in which all are handled. bind reads the fields, marks what cannot be read, and
// returns what is to be done; that is done only where nothing is marked. Whatever fails is shown on the page that the
// form came from, with the form as it was typed, and answered with 422 whatever it was: the page says what.
func Post(c *echo.Context, name string, bind func(f *Form) (Act, error), show func(code int, f *Form) error) error {
	f, err := Read(c, name)
	if err != nil {
		return err
	}
	return Handle(c, f, bind, show)
}

// Handle is Post for a form that was read already.
func Handle(c *echo.Context, f *Form, bind func(f *Form) (Act, error), show func(code int, f *Form) error) error {
	act, err := bind(f)
	if err != nil {
		return err
	}
	if !f.Bad() {
		where, err := act()
		for ; undone(err) && f.sent < mostSent; where, err = act() { // it was taken back, and is meant once more
			f.sent++
			if act, err = bind(f); err != nil {
				return err
			}
		}
		if err == nil || Again(err) {
			return saved(c, f, where, Again(err))
		}
		if err := f.Take(err); err != nil {
			return err
		}
	}
	c.Set(failedForm, f)
	return show(http.StatusUnprocessableEntity, f)
}

// Next is where an action goes on to, saved now or, where err only says so, before.
func Next(where string, failed, err error) (string, error) {
	if failed != nil {
		return "", failed
	}
	return where, err
}

// Sent saves what is not sent by Handle: under the form's token, and once more under another where what it saved was
// taken back since.
func (f *Form) Sent(save func(token string) error) error {
	token := f.Token()
	err := save(token)
	for n := 1; undone(err) && n <= mostSent; n++ {
		err = save(fmt.Sprintf("%su%d", token, n))
	}
	return err
}

// mostSent bounds how often one form may be saved and taken back.
const mostSent = 20

// undone reports whether err says that this form was saved before, and taken back since.
func undone(err error) bool {
	var a *kernel.Again
	return errors.As(err, &a) && a.Undone
}

// OptionalID is the number in an address, 0 for an address without one: a form that makes something new.
func OptionalID(c *echo.Context) (int64, error) {
	if c.Param("id") == "" {
		return 0, nil
	}
	return IdParam(c)
}

// PageNo is which page of a list is asked for.
func PageNo(c *echo.Context) int {
	n, err := strconv.Atoi(Query(c, "page"))
	if err != nil {
		return 1
	}
	return n
}

// maxNumbered bounds the numbers of fields that come in rows.
const maxNumbered = 500

// Numbered lists the numbers of the fields that were sent as prefix and a number, in order.
func (f *Form) Numbered(prefix string) (out []int) {
	for name := range f.Values {
		rest, ok := strings.CutPrefix(name, prefix)
		if n, err := strconv.Atoi(rest); ok && err == nil && n >= 0 && n < maxNumbered && strconv.Itoa(n) == rest {
			out = append(out, n)
		}
	}
	slices.Sort(out)
	return out
}

// Back is the page of this workshop that a form was sent from, otherwise where none is told.
func Back(c *echo.Context, otherwise string) string {
	u, err := url.Parse(c.Request().Referer())
	if err != nil || u.Host != c.Request().Host || !strings.HasPrefix(u.Path, "/") || strings.HasPrefix(u.Path, "//") {
		return otherwise
	}
	return u.EscapedPath()
}
