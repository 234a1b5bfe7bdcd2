package ask

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
)

// Kind is how a field is typed.
type Kind string

// The kinds: a number, one of several words, yes or nothing, numbers in a row, and lines of name and numbers.
const (
	Number Kind = "number"
	Choice Kind = "choice"
	Tick   Kind = "tick"
	List   Kind = "list"
	Lines  Kind = "lines"
)

// Field is one thing that a working takes, as the tags of its struct say it:
//
//	Amps known.Value `key:"amps" label:"Load" unit:"A" range:"0 to 1e5" example:"20" help:"Empty: none"`
//
// A number must lie in its range; must says that there is no answer without it, whole that it is counted, read that the
// last digit of what was typed matters. Example stands on a bare page and nowhere else; usual stands for what nobody
// gave, and the answer says so; set is the asker's to choose, and begins as that.
type Field struct {
	Key     string
	Label   string
	Unit    string
	Kind    Kind
	Help    string
	Example string
	Usual   string
	Set     string
	Choices [][2]string // value and words
	Must    bool
	whole   bool
	read    bool
	low     float64
	high    float64
	usual   float64
	least   int // numbers in each line
	most    int // lines, or numbers of a list
	index   []int
}

// Row is one line of a field of lines: a name, then numbers and words in order.
type Row struct {
	Name  string
	Nums  []float64
	Words []string
}

// At is the k-th number of a row, 0 where it has none.
func (x Row) At(k int) float64 {
	if k < len(x.Nums) {
		return x.Nums[k]
	}
	return 0
}

// Fields reads the tags of a struct; one that is embedded gives its fields in its place.
func Fields(t reflect.Type) (out []Field) {
	for i := range t.NumField() {
		x := t.Field(i)
		if x.Anonymous {
			for _, f := range Fields(x.Type) {
				f.index = append([]int{i}, f.index...)
				out = append(out, f)
			}
			continue
		}
		f := Field{Key: x.Tag.Get("key"), Label: x.Tag.Get("label"), Unit: x.Tag.Get("unit"), Help: x.Tag.Get("help"),
			Example: lined(x.Tag.Get("example")), Usual: x.Tag.Get("usual"), Set: x.Tag.Get("set"), index: x.Index,
			Must: x.Tag.Get("must") != "", whole: x.Tag.Get("whole") != "", read: x.Tag.Get("read") != ""}
		f.low, f.high = span(x.Tag.Get("range"))
		f.usual, _ = strconv.ParseFloat(f.Usual, 64)
		f.least, f.most = counts(x.Tag.Get("rows"))
		f.Kind = map[reflect.Type]Kind{reflect.TypeFor[known.Value](): Number, reflect.TypeFor[string](): Choice,
			reflect.TypeFor[chem.ID](): Choice, reflect.TypeFor[bool](): Tick, reflect.TypeFor[[]float64](): List,
			reflect.TypeFor[[]Row](): Lines}[x.Type]
		switch {
		case x.Type == reflect.TypeFor[chem.ID]():
			for _, c := range chem.All() {
				f.Choices = append(f.Choices, [2]string{string(c.ID), c.Name})
			}
		case f.Kind == Choice:
			for _, c := range strings.Split(x.Tag.Get("choices"), "|") {
				value, words, _ := strings.Cut(c, "=")
				f.Choices = append(f.Choices, [2]string{value, words})
			}
		}
		if f.Kind == "" || f.Key == "" || f.Label == "" || f.Kind == Number && !(f.low < f.high) {
			panic(fmt.Sprintf("ask: field %s of %s is not said in full", x.Name, t.Name()))
		}
		out = append(out, f)
	}
	return out
}

// lined writes lines as a tag holds them.
func lined(s string) string { return strings.ReplaceAll(s, " / ", "\n") }

func span(s string) (low, high float64) {
	a, b, _ := strings.Cut(s, " to ")
	low, _ = strconv.ParseFloat(a, 64)
	high, _ = strconv.ParseFloat(b, 64)
	return low, high
}

func counts(s string) (least, most int) {
	a, b, _ := strings.Cut(s, " of ")
	least, _ = strconv.Atoi(a)
	most, _ = strconv.Atoi(b)
	return least, most
}

// reader reads what was typed, and keeps what cannot be.
type reader struct {
	v    Values
	from Sources
	bad  map[string]string
}

// read reads a field of any kind.
func (r *reader) read(f Field, into reflect.Value) {
	text := strings.TrimSpace(r.v[f.Key])
	switch p := into.Addr().Interface().(type) {
	case *known.Value:
		if text != "" {
			*p = r.number(f, text)
		}
		if text == "" && f.Must {
			_, err := numeral.Parse(text)
			r.bad[f.Key] = err.Error()
		}
	case *string:
		*p = r.word(f, text)
	case *chem.ID:
		*p = chem.ID(r.word(f, text))
	case *bool:
		*p = text != "" && text != "no"
	case *[]float64:
		*p = r.list(f)
	case *[]Row:
		*p = r.rows(f)
	}
}

// source is where a value comes from.
func (r *reader) source(f Field) known.Source {
	if s, ok := r.from[f.Key]; ok {
		return s
	}
	return known.Typed
}

func (r *reader) number(f Field, text string) known.Value {
	n, err := numeral.ParseIn(text, f.Unit)
	if err != nil {
		n, err = numeral.Parse(text)
	}
	switch {
	case err != nil:
		r.bad[f.Key] = err.Error()
	case n.Value < f.low || n.Value > f.high:
		r.bad[f.Key] = fmt.Sprintf("%s: expected %s to %s %s", numeral.Text(n.Value), numeral.Text(f.low),
			numeral.Text(f.high), f.Unit)
	case f.whole && n.Value != math.Trunc(n.Value):
		r.bad[f.Key] = fmt.Sprintf("%s: expected a whole number", numeral.Text(n.Value))
	}
	v := known.Of(n.Value, r.source(f))
	if f.read {
		v = v.With(n.LastDigit)
	}
	return v
}

// word reads one of a field's choices, what it is set to or the first where none is given.
func (r *reader) word(f Field, text string) string {
	text = strings.ToLower(text)
	if text == "" && !f.Must {
		if text = f.Set; text == "" {
			text = f.Choices[0][0]
		}
	}
	var words []string
	for _, c := range f.Choices {
		if c[0] == text {
			return text
		}
		words = append(words, c[0])
	}
	r.bad[f.Key] = fmt.Sprintf("%.20q: expected %s", text, strings.Join(words, ", "))
	return text
}

// list reads numbers separated by blanks, lines or semicolons; 3×2.5 is 2.5 three times.
func (r *reader) list(f Field) (out []float64) {
	for i, p := range strings.FieldsFunc(r.v[f.Key], func(c rune) bool {
		return c == ' ' || c == '\n' || c == '\r' || c == '\t' || c == ';' || c == '|'
	}) {
		times := 1
		if n, rest, ok := strings.Cut(strings.ReplaceAll(p, "x", "×"), "×"); ok {
			x, err := numeral.Parse(n)
			if err != nil || x.Value < 1 || x.Value > float64(f.most) || x.Value != math.Trunc(x.Value) {
				r.bad[f.Key] = fmt.Sprintf("value %d, %.20q: expected such as 3×2,5", i+1, p)
				return nil
			}
			times, p = int(x.Value), rest
		}
		x, err := numeral.Parse(strings.TrimSuffix(p, ","))
		switch {
		case err != nil:
			r.bad[f.Key] = fmt.Sprintf("value %d: %v", i+1, err)
			return nil
		case x.Value < f.low || x.Value > f.high:
			r.bad[f.Key] = fmt.Sprintf("value %d, %s: expected %s to %s", i+1, numeral.Text(x.Value),
				numeral.Text(f.low), numeral.Text(f.high))
			return nil
		}
		out = append(out, slices.Repeat([]float64{x.Value}, times)...)
		if len(out) > f.most {
			r.bad[f.Key] = fmt.Sprintf("expected at most %s", numeral.Count(f.most, "value"))
			return nil
		}
	}
	return out
}

// rows reads lines such as 'name: 12; 3,5; ac'.
func (r *reader) rows(f Field) (out []Row) {
	for i, line := range strings.Split(r.v[f.Key], "\n") {
		line = strings.TrimSpace(line)
		if line == "" {
			continue
		}
		name, rest, ok := strings.Cut(line, ":")
		if !ok {
			name, rest = fmt.Sprintf("line %d", i+1), line
		}
		x := Row{Name: strings.TrimSpace(name)}
		for _, p := range strings.FieldsFunc(rest, func(c rune) bool {
			return c == ';' || c == ' ' || c == '\t' || c == '|'
		}) {
			n, err := numeral.Parse(strings.TrimSuffix(p, ","))
			switch {
			case err == nil:
				x.Nums = append(x.Nums, n.Value)
			case p[0] >= '0' && p[0] <= '9':
				r.bad[f.Key] = fmt.Sprintf("line %d, %.30q: %v. Expected %s", i+1, line, err, f.Help)
				return nil
			default:
				x.Words = append(x.Words, strings.ToLower(p))
			}
		}
		if len(x.Nums) < f.least {
			r.bad[f.Key] = fmt.Sprintf("line %d, %.30q: expected %s", i+1, line, f.Help)
			return nil
		}
		if out = append(out, x); len(out) > f.most {
			r.bad[f.Key] = fmt.Sprintf("expected at most %s", numeral.Count(f.most, "line"))
			return nil
		}
	}
	return out
}

// Stray refuses the words in lines that mean nothing there: a line of another form must not be read as half of one.
func Stray(at *[]Row, means ...string) error {
	for _, x := range *at {
		for _, w := range x.Words {
			if !slices.Contains(means, w) {
				return Unlike(at, x.Name, w)
			}
		}
	}
	return nil
}

// Text writes the field of a struct as it is typed, and says where it comes from; a list and a choice are of a record.
func (f Field) Text(in reflect.Value) (string, known.Source) {
	x := in.FieldByIndex(f.index)
	if v, ok := x.Interface().(known.Value); ok {
		if wide := v.High() - v.V(); f.read && wide > 0 && v.Bounded() { // in as many digits as it was read with
			return strconv.FormatFloat(v.V(), 'f', max(0, int(math.Ceil(-math.Log10(wide)-1e-9))), 64), v.From()
		}
		return text(x), v.From()
	}
	return text(x), known.Typed
}

func text(v reflect.Value) string {
	switch x := v.Interface().(type) {
	case known.Value:
		if !x.Is() {
			return ""
		}
		return plain(x.V())
	case chem.ID:
		return string(x)
	case string:
		return x
	case bool:
		if x {
			return "yes"
		}
		return ""
	case []float64:
		var out []string
		for _, n := range x {
			out = append(out, plain(n))
		}
		return strings.Join(out, " ")
	case []Row:
		return lines(x)
	}
	return ""
}

func lines(rows []Row) string {
	var out []string
	for _, x := range rows {
		line := ""
		if x.Name != "" {
			line = x.Name + ": "
		}
		var parts []string
		for _, n := range x.Nums {
			parts = append(parts, plain(n))
		}
		out = append(out, line+strings.Join(append(parts, x.Words...), " "))
	}
	return strings.Join(out, "\n")
}

// plain writes enough figures that nothing a meter shows is lost.
func plain(v float64) string { return strings.TrimSuffix(fmt.Sprintf("%.6g", v), ".") }
