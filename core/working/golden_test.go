package working_test

import (
	"regexp"
	"strconv"
	"strings"
	"testing"

	"pandrel/core/base/ask"
	"pandrel/core/working"
	"pandrel/golden"
)

// typed is what a person gives to a working: its numbers can be moved.
type typed struct {
	working string
	Numbers map[string]float64
	Ticks   map[string]bool
	texts   ask.Values
}

// wording is what an answer says without its numbers; it changes where the judgement does.
type wording string

func typedOf(key string, own ask.Values) typed {
	w, _ := working.ByKey(key)
	t := typed{key, map[string]float64{}, map[string]bool{}, ask.Values{}}
	starts := w.Example().Over(own)
	for _, f := range w.Fields {
		text := starts[f.Key]
		switch x, err := strconv.ParseFloat(text, 64); {
		case f.Kind == ask.Number && err == nil:
			t.Numbers[f.Key] = x
		case f.Kind == ask.Tick:
			t.Ticks[f.Key] = text != ""
		default:
			t.texts[f.Key] = text
		}
	}
	return t
}

func (t typed) values() ask.Values {
	out := ask.Values{}
	for k, v := range t.texts {
		out[k] = v
	}
	for k, v := range t.Numbers {
		out[k] = strconv.FormatFloat(v, 'g', -1, 64)
	}
	for k, v := range t.Ticks {
		if out[k] = ""; v {
			out[k] = "yes"
		}
	}
	return out
}

var someNumber = regexp.MustCompile(`[-−+]?[0-9][0-9., ]*`)

// Each working, from its start, with each word that can be chosen, with what is not known left out and at its dangerous
// end: all that it answers, and where what it says changes.
func TestWhatWorkingsAnswer(t *testing.T) {
	solve := func(in typed) (any, error) {
		w, _ := working.ByKey(in.working)
		a, err := w.Solve(in.values(), nil)
		return struct {
			ask.Answer
			Words wording
		}{a, wording(someNumber.ReplaceAllString(a.Says, "n"))}, err
	}
	for _, w := range working.All() {
		start := typedOf(w.Key, nil)
		judged := []golden.Case[typed]{{Name: "as it starts", In: start}}
		var plain []golden.Case[typed]
		empty, given := ask.Values{}, ask.Values{}
		for _, f := range w.Fields {
			for _, c := range f.Choices {
				if c[0] != stands(f) {
					plain = append(plain, golden.Case[typed]{Name: f.Key + " " + c[0],
						In: typedOf(w.Key, ask.Values{f.Key: c[0]})})
				}
			}
			if f.Kind == ask.Number && stands(f) != "" {
				plain = append(plain, golden.Case[typed]{Name: "without " + f.Key,
					In: typedOf(w.Key, ask.Values{f.Key: ""})})
			}
			if f.Kind == ask.Number && stands(f) == "" {
				given[f.Key] = "5"
				for _, v := range []string{"0.4", "5", "60"} {
					plain = append(plain, golden.Case[typed]{Name: "with " + f.Key + " " + v,
						In: typedOf(w.Key, ask.Values{f.Key: v})})
				}
			}
			if f.Kind == ask.List || f.Kind == ask.Lines {
				for _, v := range []string{"x", stands(f) + "\nA: 1", "A: 5\nB: 7 9\nC: 1 2 3", "3.7 3.6 3.8",
					"40, 42, 39; 41", "A: -1 2 3", "A: 100 12 100\nA: 90 14 80"} {
					plain = append(plain, golden.Case[typed]{Name: "with " + f.Key + " " +
						strings.ReplaceAll(v, "\n", " / "), In: typedOf(w.Key, ask.Values{f.Key: v})})
				}
			}
			if f.Kind != ask.Choice {
				empty[f.Key] = ""
			}
		}
		plain = append(plain, golden.Case[typed]{Name: "empty", In: typedOf(w.Key, empty)})
		if len(given) > 0 && !slow[w.Key] {
			judged = append(judged, golden.Case[typed]{Name: "with all that may be left out", In: typedOf(w.Key,
				given)})
		}
		for _, c := range moreCases[w.Key] {
			name := ""
			for _, f := range w.Fields {
				if v, ok := c[f.Key]; ok {
					name += " " + f.Key + " " + strings.ReplaceAll(v, "\n", " / ")
				}
			}
			if x := (golden.Case[typed]{Name: strings.TrimSpace(name), In: typedOf(w.Key, c)}); slow[w.Key] {
				plain = append(plain, x)
			} else {
				judged = append(judged, x)
			}
		}
		t.Run(w.Key, func(t *testing.T) {
			if w.Key == "join" { // each answer is a hundred joints in time; core/bank/join has its edges
				golden.Answers(t, w.Key, judged, solve)
			} else {
				golden.Judged(t, w.Key, judged, solve)
			}
			golden.Answers(t, w.Key+"-without", plain, solve)
		})
	}
}

// slow are workings of which each answer takes its time.
var slow = map[string]bool{"share": true, "acts": true, "join": true}

var moreCases = map[string][]ask.Values{
	"volts": {{"chemistry": "nmc", "series": "14", "volts": "51.8", "rest": "0.2"}, {"volts": "19"}, {"volts": "29.5"},
		{"chemistry": "lto", "series": "20", "volts": "46"}},
	"window": {{"low": "", "high": "", "low_v": "25", "high_v": "28"}, {"chemistry": "nmc", "series": "7"}},
	"count":  {{"class": "24"}, {"class": "", "charge_max": "80", "cutoff": "60", "abs_max": "100"}},
	"cable":  {{"other": "2", "string": "10"}, {"other": "0.7", "amps": "300"}},
	"path":   {{"path": "cable: 110\nconnector: 50 70 x2\nfuse: 80"}, {"path": "bar: 200\nBMS: 100 250"}},
	"fuse":   {{"amps": "20", "conductor": "40", "full_v": "58.4", "mohm": "30", "place": "0.5"}, {"amps": "95"}},
	"precharge": {{"volts": "50", "uf": "50400", "hold": "0.25", "ohms": "50"}, {"volts": "58", "always": "10"},
		{"volts": "50", "uf": "50400", "hold": "0.25", "ohms": "50", "always": "10"},
		{"volts": "50", "uf": "10000", "hold": "5", "pulse": "200"}},
	"join": {{"a_v": "26.600", "b_v": "26.580", "a_mohm": "6", "b_mohm": "7"}, {"a_v": "26.6", "b_v": "15"},
		{"a_v": "26.600", "b_v": "26.100", "a_mohm": "6", "b_mohm": "7", "bms_a": "60", "fuse_a": "50"},
		{"chemistry": "nmc", "series": "14", "a_v": "53.20", "b_v": "51.80", "a_mohm": "20", "b_mohm": "22"},
		{"chemistry": "nmc", "series": "14", "a_v": "58.60", "b_v": "51.80"},
		{"a_v": "26.612", "b_v": "26.600", "count": "3", "link": "1"}},
	"share": {{"cutoff": ""}, {"strings": "S1: 100 12 50\nS2: 80 20 50\nS3: 100 11 50"}, {"strings": "S1: 100 12"}},
	"acts": {{"no_bms": "yes"}, {"max": "27"}, {"max": "28.3", "charger_v": "28"},
		{"charger_v": "29.4", "load_a": "100", "delay": "5"}},
	"idle": {{"draws": "router: 6 w\nBMS: 12\nmeter: 3"}, {"draws": "meter: 300"}},
}

// stands is what stands in a field on a bare page.
func stands(f ask.Field) string { return f.Example + f.Usual + f.Set }
