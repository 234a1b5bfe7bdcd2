// Package choice is what a person chooses from in forms: the words for what a record keeps, and lists of them.
package choice

import (
	"fmt"
	"iter"
	"reflect"

	"pandrel/core/bank/bms"
	"pandrel/core/base/chem"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
	"pandrel/store"
)

// Of is one line of a list to choose from: what is sent, and what a person reads; From is where the numbers in it come
// from, "" for worked out.
type Of struct{ Value, Text, From string }

// histories say what is known of where a module was.
var histories = map[string]string{"": "not asked yet", "unknown": "asked, and not known",
	"clean": "asked: no crash, flood or recall", "crash": "crash", "flood": "flood", "recall": "recall"}

// switches say what opens the circuit of a BMS.
var switches = map[string]string{"": "not known", bms.Transistor: "transistors of its own",
	bms.Relay: "a relay or contactor that it drives", bms.Opens: "it opens by itself, how is not known",
	bms.Monitor: "nothing: it only watches"}

// Chemistry is the name of a chemistry, or that none is declared.
func Chemistry(id chem.ID) string {
	if c, err := chem.Lookup(id); err == nil {
		return c.Name
	}
	return "not declared"
}

// History says where a module was, as far as is known.
func History(h string) string { return histories[h] }

// These are choices that say what they send.
func These(list any) (out []Of) {
	for x := range elements(list) {
		out = append(out, Of{Value: fmt.Sprint(x), Text: fmt.Sprint(x)})
	}
	return out
}

// elements are those of a list of any type.
func elements(list any) iter.Seq[reflect.Value] {
	return func(yield func(reflect.Value) bool) {
		v := reflect.ValueOf(list)
		for i := range v.Len() {
			if !yield(reflect.Indirect(v.Index(i))) {
				return
			}
		}
	}
}

// Systems are the usual ones, by their volts.
func Systems(volts any) (out []Of) {
	for v := range elements(volts) {
		out = append(out, Of{Value: fmt.Sprint(v), Text: fmt.Sprintf("%v V", v)})
	}
	return out
}

// TypesOf are types by their row, with what is known of each.
func TypesOf(list []store.ModuleType) (out []Of) {
	for _, t := range list {
		text := t.Name + " · " + Chemistry(t.Chemistry)
		if t.RatedAh > 0 {
			text += " · " + numeral.Text(t.RatedAh) + " Ah"
		}
		out = append(out, Of{fmt.Sprint(t.ID), text, known.Typed.String()})
	}
	return out
}

// Named are rows to choose from, by one field of each and the text of another.
func Named(rows any, value, text string) (out []Of, err error) {
	for row := range elements(rows) {
		v, t := row.FieldByName(value), row.FieldByName(text)
		if !v.IsValid() || !t.IsValid() {
			return nil, fmt.Errorf("%T has no %s or no %s", rows, value, text)
		}
		out = append(out, Of{Value: fmt.Sprint(v), Text: fmt.Sprint(t)})
	}
	return out, nil
}

// Histories are the answers to where something was.
func Histories() (out []Of) {
	for _, h := range []string{"unknown", "clean", "crash", "flood", "recall"} {
		out = append(out, Of{Value: h, Text: histories[h]})
	}
	return out
}

// Chemistries are those of the book.
func Chemistries() (out []Of) {
	for _, c := range chem.All() {
		out = append(out, Of{Value: string(c.ID), Text: Chemistry(c.ID)})
	}
	return out
}

// Switches are the ways in which a BMS opens its circuit.
func Switches() (out []Of) {
	for _, s := range []string{"", bms.Transistor, bms.Relay, bms.Opens, bms.Monitor} {
		out = append(out, Of{Value: s, Text: switches[s]})
	}
	return out
}
