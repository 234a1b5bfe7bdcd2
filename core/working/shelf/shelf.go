// Package shelf holds the workings: each is put on it by the file that answers it, and found on it by pages, commands
// and the places of the work that raise it.
package shelf

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"

	"pandrel/core/base/ask"
	"pandrel/core/base/known"
)

// Working is one sum of the trade: what people ask, and what stands behind its answer.
type Working struct {
	Key      string
	Title    string
	Question string // what people ask
	About    About
	Order    int // within its group
	Fields   []ask.Field
	Source   string
	Not      []string // what is not considered
	in       reflect.Type
}

// About is what a working is about: a group of the shelf.
type About string

// The groups of the shelf.
const (
	Volts    About = "Volts and counts"
	Currents About = "Currents and conductors"
	Strings  About = "Strings, charge and balance"
	Tests    About = "Tests and joints"
	Money    About = "Hours and money"
)

// Abouts lists the groups in the order in which they stand.
func Abouts() []About { return []About{Volts, Currents, Strings, Tests, Money} }

var all []Working

// Put puts a working on the shelf: T is what it takes.
func Put[T any, P interface {
	*T
	ask.Input
}](w Working) Working {
	w.in = reflect.TypeFor[T]()
	w.Fields = ask.Fields(w.in)
	if _, twice := ByKey(w.Key); twice {
		panic("working: two are called " + w.Key)
	}
	all = append(all, w)
	slices.SortStableFunc(all, func(a, b Working) int {
		return cmp.Or(slices.Index(Abouts(), a.About)-slices.Index(Abouts(), b.About), a.Order-b.Order)
	})
	return w
}

// All lists the workings in the order of the shelf.
func All() []Working { return slices.Clone(all) }

// ByKey finds a working.
func ByKey(key string) (Working, bool) {
	k := slices.IndexFunc(all, func(w Working) bool { return w.Key == key })
	if k < 0 {
		return Working{}, false
	}
	return all[k], true
}

// Example are the values that a bare page shows, so that a question has an answer to look at. They belong to nothing.
func (w Working) Example() ask.Values {
	out := w.Open()
	for _, f := range w.Fields {
		if f.Example != "" {
			out[f.Key] = f.Example
		}
	}
	return out
}

// Open are the values of a working of which nothing is known yet: what is usual anywhere, and what is the asker's to
// set.
func (w Working) Open() ask.Values {
	out := ask.Values{}
	for _, f := range w.Fields {
		out[f.Key] = f.Usual + f.Set
	}
	return out
}

// Of says where values come from: what stands there as an example does is assumed, as is what is usual.
func (w Working) Of(v ask.Values, bare bool) ask.Sources {
	out := ask.Sources{}
	for _, f := range w.Fields {
		switch x := v[f.Key]; {
		case x == "":
		case f.Set != "" && x == f.Set:
			out[f.Key] = known.Limit
		case f.Usual != "" && x == f.Usual, bare && x == f.Example:
			out[f.Key] = known.Assumed
		}
	}
	return out
}

// Solve answers from what was typed. Input that cannot be is a *ask.BadInput.
func (w Working) Solve(v ask.Values, from ask.Sources) (ask.Answer, error) {
	in := reflect.New(w.in)
	rests, err := ask.Read(w.Fields, v, from, in.Elem())
	if err != nil {
		return ask.Answer{}, err
	}
	return ask.Answered(w.Fields, in, rests)
}

// Answer answers from what is known.
func (w Working) Answer(in ask.Input) (ask.Answer, error) {
	v := reflect.ValueOf(in)
	if v.Kind() != reflect.Pointer || v.Elem().Type() != w.in {
		return ask.Answer{}, fmt.Errorf("working %s: expected a *%s, not a %T", w.Key, w.in.Name(), in)
	}
	return ask.Answered(w.Fields, v, known.Limit)
}

// Filled is a working with the values that a place in the work gives it, and where they come from.
type Filled struct {
	Working Working
	Values  ask.Values
	From    ask.Sources
}

// At fills the workings that a place raises: what takes the place has a method of that name.
func At(method string, where any) (out []Filled) {
	for _, w := range all {
		in := reflect.New(w.in)
		if m := in.MethodByName(method); m.IsValid() && m.Call([]reflect.Value{reflect.ValueOf(where)})[0].Bool() {
			out = append(out, w.filled(in.Elem()))
		}
	}
	return out
}

// filled writes what is known as it would be typed; what is usual or to be set stands where nothing is.
func (w Working) filled(in reflect.Value) Filled {
	out := Filled{w, w.Open(), ask.Sources{}}
	for _, f := range w.Fields {
		if text, from := f.Text(in); text != "" {
			out.Values[f.Key], out.From[f.Key] = text, from
		}
	}
	for k, s := range w.Of(out.Values, false) {
		if _, ok := out.From[k]; !ok {
			out.From[k] = s
		}
	}
	return out
}

// Solve answers what a place filled.
func (f Filled) Solve() (ask.Answer, error) { return f.Working.Solve(f.Values, f.From) }
