package web

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"pandrel/shop/kernel"
	"pandrel/shop/record"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// form is a form as it was typed, with what is wrong with it. Its token makes sending it twice
// harmless.
type form struct {
	name   string
	values url.Values
	errs   map[string]string
	now    map[string]string // what somebody else saved meanwhile
	blocks []finding.Finding
}

// fieldView is one field of a form for the template.
type fieldView struct {
	Form                                                                *form
	ID, Name, Label, Unit, Hint, Value, Error, Saved, Type, Mode, Class string
	Required, Focus                                                     bool
}

// blank returns an empty form with a fresh token; pairs are first values.
func blank(name string, pairs ...string) *form {
	b := make([]byte, 12)
	if _, err := rand.Read(b); err != nil {
		panic(err)
	}
	f := &form{name: name, values: url.Values{"token": {hex.EncodeToString(b)}}, errs: map[string]string{}}
	for i := 0; i+1 < len(pairs); i += 2 {
		f.values.Set(pairs[i], pairs[i+1])
	}
	return f
}

// read takes the form that was sent.
func read(c *echo.Context, name string) (*form, error) {
	v, err := c.FormValues()
	if err != nil {
		return nil, err
	}
	f := &form{name: name, values: v, errs: map[string]string{}}
	if t := f.Get("token"); len(t) < 8 || len(t) > 48 {
		return nil, kernel.Bad("", "the form has no token: reload the page")
	}
	return f, nil
}

func (f *form) get(name string) string { return f.values.Get(name) }

// once names what was sent: the form's token with a digest of its content. The same content twice is one action;
// after an answer that got lost, a value that was changed is another one, and is not dropped.
func (f *form) once() string {
	names := make([]string, 0, len(f.values))
	for n := range f.values {
		if n != "_csrf" && n != "token" {
			names = append(names, n)
		}
	}
	slices.Sort(names)
	h := sha256.New()
	for _, n := range names {
		fmt.Fprintf(h, "%q=%q;", n, f.values[n])
	}
	return f.Get("token") + "." + hex.EncodeToString(h.Sum(nil)[:6])
}

// attach makes a file that was sent part of what the form says.
func (f *form) attach(name string, data []byte) {
	sum := sha256.Sum256(data)
	f.values.Add("sha-"+name, hex.EncodeToString(sum[:]))
}

// Token and friends are for templates.
func (f *form) Token() string              { return f.Get("token") }
func (f *form) Name() string               { return f.name }
func (f *form) Get(name string) string     { return f.values.Get(name) }
func (f *form) Err(name string) string     { return f.errs[name] }
func (f *form) Errs() map[string]string    { return f.errs }
func (f *form) Now() map[string]string     { return f.now }
func (f *form) Blocks() []finding.Finding  { return f.blocks }
func (f *form) Bad() bool                  { return len(f.errs) > 0 || len(f.now) > 0 || len(f.blocks) > 0 }
func (f *form) On(name, value string) bool { return contains(f.values[name], value) }

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}

// num reads a number that must be there.
func (f *form) num(name string) float64 {
	n, err := numeral.Parse(f.Get(name))
	if err != nil {
		f.errs[name] = err.Error()
	}
	return n.Value
}

// opt reads a number that may be left out; otherwise is its value then.
func (f *form) opt(name string, otherwise float64) float64 {
	if strings.TrimSpace(f.Get(name)) == "" {
		return otherwise
	}
	return f.num(name)
}

// maybe reads a number that may be left out.
func (f *form) maybe(name string) *float64 {
	if strings.TrimSpace(f.Get(name)) == "" {
		return nil
	}
	v := f.num(name)
	return &v
}

// whole reads a whole number; otherwise is its value where the field is empty.
func (f *form) whole(name string, otherwise int) int {
	s := strings.TrimSpace(f.Get(name))
	if s == "" {
		return otherwise
	}
	n, err := strconv.Atoi(s)
	if err != nil {
		f.errs[name] = fmt.Sprintf("%q: expected a whole number", clip(s, 20))
	}
	return n
}

// volts reads fields prefix1, prefix2 … up to n, starting at from. Empty ones are errors.
func (f *form) volts(prefix string, from, n int) []record.TypedVolts {
	var out []record.TypedVolts
	for i := from; i < from+n; i++ {
		name := fmt.Sprintf("%s%d", prefix, i)
		typed := strings.TrimSpace(f.Get(name))
		x, err := numeral.Parse(typed)
		if err != nil {
			f.errs[name] = err.Error()
			continue
		}
		if x.Value < -2000 || x.Value > 20000 {
			f.errs[name] = fmt.Sprintf("%s V: expected a voltage that a meter can show", clip(typed, 20))
			continue
		}
		out = append(out, record.TypedVolts{Group: i, Volts: x.Value, AsTyped: clip(typed, 40)})
	}
	return out
}

// take sorts an action's error into the form. It returns what is left to report: nil when the form
// can show it.
func (f *form) take(err error) error {
	var inv *kernel.Invalid
	var con *kernel.Conflict
	var blk *kernel.Blocked
	switch {
	case errors.As(err, &inv):
		for k, v := range inv.Fields {
			f.errs[k] = v
		}
		return nil
	case errors.As(err, &con):
		f.errs[""] = con.Error()
		f.now = con.Saved
		f.values.Set("version", strconv.Itoa(con.Version))
		return nil
	case errors.As(err, &blk):
		f.blocks = finding.Standing(blk.Findings)
		if len(f.blocks) == 0 {
			f.blocks = blk.Findings
		}
		return nil
	}
	return err
}

func idParam(c *echo.Context) (int64, error) {
	id, err := strconv.ParseInt(c.Param("id"), 10, 64)
	if err != nil || id < 1 {
		return 0, &kernel.NotFound{What: "page " + clip(c.Param("id"), 20)}
	}
	return id, nil
}
