package kind

import (
	"reflect"

	"pandrel/core/base/ask"
)

// taken is what a kind that is asked takes: a struct whose tags say how each number is asked, and what it came to. An
// error is for input that cannot be.
type taken interface {
	came(of Subject, f *Figures) error
}

// asked is a kind that takes a T from a person: its page, its form and what is kept of it are made from the tags of T.
func asked[T any, P interface {
	*T
	taken
}](k Kind) Kind {
	k.Person, k.Given, k.Fields = true, ask.Values{}, ask.Fields(reflect.TypeFor[T]())
	k.figures = func(kept Kept, of Subject, f *Figures) (bool, error) {
		v, ok, err := read[ask.Values](kept.Given)
		if err != nil || !ok {
			return false, err
		}
		in := P(new(T))
		if _, err := ask.Read(k.Fields, v, nil, reflect.ValueOf(in).Elem()); err != nil {
			return false, err
		}
		f.Moved = true
		if err := in.came(of, f); err != nil {
			return false, ask.Told(k.Fields, reflect.ValueOf(in), err)
		}
		return true, nil
	}
	return k
}
