package ask_test

import (
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"

	"pandrel/core/base/ask"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// loadIn is a question with a field of each kind.
type loadIn struct {
	Watts known.Value `key:"watts" label:"Load" unit:"W" range:"1 to 1e4" must:"yes" example:"100"`
	Eff   known.Value `key:"eff" label:"Efficiency" unit:"%" range:"10 to 100" usual:"90"`
	Count known.Value `key:"count" label:"How many" range:"1 to 9" whole:"yes" set:"1"`
	Volts known.Value `key:"volts" label:"Volts" unit:"V" range:"0 to 100" read:"yes"`
	Metal string      `key:"metal" label:"Metal" choices:"copper=copper|steel=steel" set:"copper"`
	Wet   bool        `key:"wet" label:"Wet"`
	List  []float64   `key:"list" label:"List" range:"0 to 9" rows:"0 of 4"`
	Rows  []ask.Row   `key:"rows" label:"Rows" rows:"1 of 3" help:"such as 'a: 1 x'"`
}

func (in *loadIn) Answer(a *ask.Answer) error {
	if err := ask.Stray(&in.Rows, "x"); err != nil {
		return err
	}
	if in.Watts.V() == 13 {
		return ask.Bad(&in.Watts, "not %d", 13)
	}
	if in.Watts.V() == 14 {
		return errors.New("nothing for it")
	}
	a.Say("%.1f W at %s V.", in.Watts.V()/in.Eff.V()*100, in.Volts.In(1, ""))
	a.Line("From the plug", "5", "A", in.Watts)
	a.Line("All", "6", "A")
	a.Find(finding.New(finding.Caution, "x").Says("Warm."))
	return nil
}

func answer(v ask.Values, from ask.Sources) (*loadIn, ask.Answer, error) {
	in := &loadIn{}
	fields := ask.Fields(reflect.TypeFor[loadIn]())
	rests, err := ask.Read(fields, v, from, reflect.ValueOf(in).Elem())
	if err != nil {
		return in, ask.Answer{}, err
	}
	a, err := ask.Answered(fields, reflect.ValueOf(in), rests)
	return in, a, err
}

func TestWhatWasTypedIsRead(t *testing.T) {
	in, a, err := answer(ask.Values{"watts": "1,5 W", "volts": "12.50", "count": "3", "metal": "Steel", "wet": "yes",
		"list": "2×1,5 3", "rows": "a: 1 x\nb: 2"}, nil)
	if err != nil {
		t.Fatal(err)
	}
	if in.Watts != known.Of(1.5, known.Typed) || in.Volts.Low() != 12.49 || in.Count.V() != 3 || in.Metal != "steel" ||
		!in.Wet || fmt.Sprint(in.List) != "[1.5 1.5 3]" || len(in.Rows) != 2 || in.Rows[0].Words[0] != "x" ||
		in.Rows[1].At(0) != 2 || in.Rows[1].At(7) != 0 {
		t.Errorf("%+v", in)
	}
	if a.Level != finding.Caution || !strings.HasPrefix(a.Says, "1.7 W at") {
		t.Errorf("%+v", a)
	}
}

// What nobody gave stays open or is usual, and the answer says that it is assumed; a line on what was typed is not.
func TestWhatIsAssumedIsSaid(t *testing.T) {
	in, a, err := answer(ask.Values{"watts": "90"}, nil)
	if err != nil || in.Volts.Is() || in.Eff != known.Of(90, known.Assumed) || in.Metal != "copper" {
		t.Fatalf("%+v, %v", in, err)
	}
	if len(a.Assumed) != 1 || a.From != "assumed" || a.Lines[0].From != "worked" || a.Lines[1].From != "assumed" ||
		a.Sentence() != "100.0 W at not known V. Assumed: efficiency: 90 %, usual." {
		t.Errorf("%+v", a)
	}
	if _, a, _ := answer(ask.Values{"watts": "90", "eff": "80"}, nil); a.From != "worked" || len(a.Assumed) > 0 {
		t.Errorf("%+v", a)
	}
	if _, a, _ := answer(ask.Values{"watts": "90", "eff": "80"}, ask.Sources{"watts": known.Said}); a.From != "said" {
		t.Errorf("%+v", a)
	}
	parts := a.Parts(a.Sentence())
	whole, marks := "", ""
	for _, p := range parts {
		whole += p.Text
		if p.Number.Is() {
			marks += p.Text + " " + p.Number.Mark() + ";"
		}
	}
	if whole != a.Sentence() || marks != "100.0 assumed;90 % assumed;" {
		t.Errorf("%q: %s", whole, marks)
	}
}

func TestWhatCannotBeIsNamed(t *testing.T) {
	for _, c := range []struct {
		name, key, text, want string
	}{
		{"nothing where it must be", "watts", "", "empty"},
		{"a word", "watts", "x", "not a number"},
		{"above its range", "watts", "99999", "expected 1 to 10000 W"},
		{"half a thing", "count", "1.5", "whole number"},
		{"no choice", "metal", "gold", "copper, steel"},
		{"too many", "list", "1 2 3 4 5", "at most 4"},
		{"so many times too many", "list", "9×1", "such as"},
		{"out of the list's range", "list", "99", "0 to 9"},
		{"a word in a list", "list", "x", "value 1"},
		{"a line without a number", "rows", "a:", "such as"},
		{"a line of something else", "rows", "a: 1Ah", "line 1"},
		{"too many lines", "rows", "1\n2\n3\n4", "at most 3"},
		{"a word that means nothing", "rows", "a: 1 y", "Expected such as"},
		{"what the answer refuses", "watts", "13", "not 13"},
		{"what nothing answers", "watts", "14", "nothing for it"},
		{"a book", "list", strings.Repeat("1 ", 9000), "letters"},
	} {
		t.Run(c.name, func(t *testing.T) {
			v := ask.Values{"watts": "5"}
			v[c.key] = c.text
			_, _, err := answer(v, nil)
			var bad *ask.BadInput
			if !errors.As(err, &bad) {
				t.Fatalf("%v", err)
			}
			if got := bad.Fields[c.key] + bad.Fields[""]; !strings.Contains(got, c.want) {
				t.Errorf("%q, expected %q", got, c.want)
			}
		})
	}
}

// What is filled in is what would be typed: read again it is the same.
func TestFilledIsRead(t *testing.T) {
	in, _, err := answer(ask.Values{"watts": "12.5", "list": "1 2", "rows": "a: 1.5 x", "wet": "yes"}, nil)
	if err != nil {
		t.Fatal(err)
	}
	v := ask.Values{}
	for _, f := range ask.Fields(reflect.TypeFor[loadIn]()) {
		v[f.Key], _ = f.Text(reflect.ValueOf(in).Elem())
	}
	v["eff"] = "90"
	again, _, err := answer(v, ask.Sources{"eff": known.Assumed})
	if err != nil || !reflect.DeepEqual(in, again) {
		t.Errorf("%+v, %+v, %v", in, again, err)
	}
}
