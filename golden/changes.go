package golden

import (
	"cmp"
	"fmt"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"
)

// So many changes are followed along one number, and so many elements of a list are moved.
const (
	mostChanges  = 12
	mostElements = 2
)

// steps are where a number is tried before the places between are looked at: beside what it is, and where limits are.
var (
	factors = []float64{0.01, 0.1, 0.3, 0.5, 0.7, 0.8, 0.9, 0.95, 0.98, 0.99, 1.01, 1.02, 1.05, 1.1, 1.2, 1.5, 2, 5, 30,
		1000}
	offsets = []float64{0.002, 0.01, 0.05, 0.2, 1, 5, 20}
	places  = []float64{-10, 0, 0.001, 0.02, 0.1, 0.5, 1, 2, 3, 5, 10, 20, 30, 50, 75, 100, 101, 200, 500, 1000, 1e4,
		1e6, 1e9}
)

// leaf is a number or a switch within a case, and the way to it.
type leaf struct {
	name string
	way  []any // field and element numbers, map keys; nil goes through a pointer
	kind reflect.Kind
	most float64 // elements of a list
}

// moved is what of a case is moved beside its numbers.
type moved struct {
	words   bool
	longest int
}

// Changes moves each number of a case by itself, turns each yes and no, and says where what judge tells changes: to the
// last digit that a number has, and on which side of it the place itself lies.
func Changes[T any](base T, judge func(T) string) []string {
	return changes(base, judge, func(T) []string { return nil }, moved{}, nil)
}

// changes is Changes where the lines of an earlier time are known: they are looked at, and nothing is looked for as
// long as they hold. What tell says just behind a change stands under it, where it has not been said before.
func changes[T any](base T, judge func(T) string, tell func(T) []string, m moved, known []string) (out []string) {
	said := map[string]bool{}
	for _, line := range tell(base) {
		said[line] = true
	}
	var leaves []leaf
	collect(reflect.ValueOf(base), "", nil, &leaves)
	most := float64(m.longest)
	for _, l := range leaves {
		with := func(x float64) T {
			v := reflect.New(reflect.TypeFor[T]()).Elem()
			v.Set(set(reflect.ValueOf(base), l.way, x))
			return v.Interface().(T)
		}
		at := func(x float64) string { return judge(with(x)) }
		under := func(line string, x float64) {
			out = append(out, line)
			news := 0
			for _, text := range tell(with(x)) {
				if new := appears(line, text); new && !said[text] && news < mostNews {
					said[text] = true
					news++
					out = append(out, "    "+text)
				}
			}
		}
		v := get(reflect.ValueOf(base), l.way)
		switch {
		case l.kind == reflect.String && !m.words, l.kind == reflect.Slice && m.longest == 0:
		case l.kind == reflect.String || l.kind == reflect.Bool:
			if line, x := turned(l, v, at); line != "" {
				under(line, x)
			}
		default:
			if l.kind == reflect.Slice {
				l.most = most
			}
			lines := linesOf(known, l.name)
			if !l.holds(lines, number64(v), at) {
				lines = along(l, number64(v), at)
			}
			for _, line := range lines {
				if c, ok := l.change(line); ok {
					under(line, c.hi)
				} else {
					out = append(out, line)
				}
			}
		}
	}
	return out
}

// turned gives a text where there is none, leaves it out where there is one, and turns a yes into a no.
func turned(l leaf, v reflect.Value, at func(float64) string) (line string, x float64) {
	was, is, name := "", "", ""
	switch {
	case l.kind == reflect.Bool:
		was, is, x = at(truth(v.Bool())), at(truth(!v.Bool())), truth(!v.Bool())
		name = strconv.FormatBool(!v.Bool())
	case v.String() == "":
		was, is, x, name = at(0), at(1), 1, "given"
	default:
		was, is, x, name = at(2), at(0), 0, "left out"
	}
	if was == is {
		return "", 0
	}
	return fmt.Sprintf("%s %s: %s", l.name, name, difference(was, is)), x
}

func truth(yes bool) float64 {
	if yes {
		return 1
	}
	return 0
}

func number64(v reflect.Value) float64 {
	switch {
	case v.Kind() == reflect.Slice:
		return float64(v.Len())
	case v.CanInt():
		return float64(v.Int())
	case v.CanUint():
		return float64(v.Uint())
	}
	return v.Float()
}

// tried are the places at which a number is looked at whatever is known.
func (l leaf) tried(base float64) []float64 {
	tried := slices.Clone(places)
	for _, f := range factors {
		tried = append(tried, base*f)
	}
	for _, o := range offsets {
		tried = append(tried, base+o, base-o)
	}
	tried = append(tried, base, -base)
	if l.whole() {
		for i, x := range tried {
			tried[i] = math.Round(max(-3, min(x, 5000)))
		}
		for x := -1.0; x <= 9; x++ {
			tried = append(tried, x)
		}
	}
	if l.kind == reflect.Slice {
		for i, x := range tried {
			tried[i] = max(0, min(x, l.most))
		}
	}
	slices.Sort(tried)
	return slices.Compact(tried)
}

func (l leaf) whole() bool { return l.kind != reflect.Float64 && l.kind != reflect.Float32 }

// linesOf are the known lines of one number.
func linesOf(known []string, name string) (out []string) {
	for _, line := range known {
		if strings.HasPrefix(line, name+" ") || strings.HasPrefix(line, name+":") {
			out = append(out, line)
		}
	}
	return out
}

// change is where a judgement changes: it is one thing at lo and another at hi.
type change struct {
	lo, hi float64
	says   string
}

// change reads a line.
func (l leaf) change(line string) (c change, ok bool) {
	place, says, ok := strings.Cut(strings.TrimPrefix(strings.TrimPrefix(line, l.name), " "), ": ")
	how, digits, two := strings.Cut(place, " ")
	x, err := strconv.ParseFloat(digits, 64)
	if !ok || !two || err != nil {
		return c, false
	}
	c = change{x, x, says}
	switch {
	case how == "about":
		c.lo, c.hi = x-2e-6*math.Abs(x), x+2e-6*math.Abs(x)
	case how == "above" && l.whole():
		c.hi = x + 1
	case how == "above":
		c.hi = math.Nextafter(x, math.Inf(1))
	case l.whole():
		c.lo = x - 1
	default:
		c.lo = math.Nextafter(x, math.Inf(-1))
	}
	return c, true
}

// mostNews is how many new findings are written under one change.
const mostNews = 4

// appears reports whether a line says that a finding, or an error, is there from then on.
func appears(line, text string) bool {
	if strings.HasPrefix(text, "error: ") {
		return strings.Contains(line, "+ error ")
	}
	words := strings.Fields(strings.NewReplacer(",", " ", "|", " ").Replace(text))
	if len(words) < 2 {
		return false
	}
	name := words[0] + " " + words[1]
	i := strings.Index(line, "+ "+name)
	if i < 0 {
		i = strings.Index(line, "× "+name)
	}
	return i >= 0
}

// holds reports whether known lines say all that is seen: at each of their places on both sides, and wherever a number
// is tried otherwise.
func (l leaf) holds(lines []string, base float64, at func(float64) string) bool {
	var known []change
	end := math.Inf(1)
	for _, line := range lines {
		rest := strings.TrimPrefix(line, l.name)
		if rest == further {
			end = known[len(known)-1].hi
			continue
		}
		c, ok := l.change(line)
		if !ok {
			return false
		}
		known = append(known, c)
	}
	points := l.tried(base)
	for _, c := range known {
		points = append(points, c.lo, c.hi)
	}
	slices.Sort(points)
	points = slices.Compact(points)
	prev := at(points[0])
	for i := 1; i < len(points); i++ {
		if points[i] > end {
			break
		}
		next := at(points[i])
		if next == prev {
			continue
		}
		if len(known) == 0 || known[0].lo != points[i-1] || known[0].hi != points[i] ||
			known[0].says != difference(prev, next) {
			return false
		}
		known, prev = known[1:], next
	}
	return len(known) == 0
}

const further = ": and further on"

// along goes along one number.
func along(l leaf, base float64, at func(float64) string) (out []string) {
	tried := l.tried(base)
	prev := at(tried[0])
	for i := 1; i < len(tried); i++ {
		lo, hi := tried[i-1], tried[i]
		next := at(hi)
		for prev != next {
			if len(out) == mostChanges {
				return append(out, l.name+further)
			}
			a, b, after := between(lo, hi, prev, at, l.whole())
			out = append(out, fmt.Sprintf("%s %s: %s", l.name, place(a, b), difference(prev, after)))
			lo, prev = b, after
		}
	}
	return out
}

// least is the smallest difference that means anything: nearer to nothing than that there is only nothing.
const least = 1e-12

// between finds two neighbours between lo, where it is as prev says, and hi, where it is not: the first still is.
// Limits have few digits: where the shortest number between the two stays the same it is asked itself, and its
// neighbours.
func between(lo, hi float64, prev string, at func(float64) string, whole bool) (a, b float64, after string) {
	after = at(hi)
	guess, same := math.NaN(), 0
	for {
		mid := lo + (hi-lo)/2
		if whole {
			mid = math.Floor(mid)
		} else if hi-lo < least {
			if next := math.Nextafter(lo, hi); at(next) != prev {
				return lo, next, at(next)
			}
			return lo, hi, after
		} else if g := shortest(lo, hi); g == guess {
			if same++; same == 3 {
				mid = g
			} else if same == 4 {
				if lo == g {
					mid = math.Nextafter(g, math.Inf(1))
				} else {
					mid = math.Nextafter(g, math.Inf(-1))
				}
			}
		} else {
			guess, same = g, 0
		}
		if mid <= lo || mid >= hi {
			if mid = lo + (hi-lo)/2; whole || mid <= lo || mid >= hi {
				return lo, hi, after
			}
		}
		if s := at(mid); s == prev {
			lo = mid
		} else {
			hi, after = mid, s
		}
	}
}

// shortest is the number of the fewest digits from lo to hi.
func shortest(lo, hi float64) float64 {
	for n := 1; n < 17; n++ {
		g, _ := strconv.ParseFloat(strconv.FormatFloat(lo+(hi-lo)/2, 'e', n-1, 64), 64)
		if g >= lo && g <= hi {
			return g
		}
	}
	return lo
}

// place says where a change is. A place with few digits is a limit, and it lies on one of its sides; one with many has
// been worked out, and its last digits mean nothing.
func place(a, b float64) string {
	if b-a < least && a == 0 {
		b = 1e-300
	}
	short := func(x float64) string { return strconv.FormatFloat(x, 'g', -1, 64) }
	x, y := short(a), short(b)
	const many = 13
	switch {
	case len(x) > many && len(y) > many:
		return "about " + strconv.FormatFloat(b, 'g', 7, 64)
	case len(x) <= len(y):
		return "above " + x
	}
	return "from " + y
}

func difference(was, is string) string {
	a, b := strings.Split(was, "\n"), strings.Split(is, "\n")
	var out []string
	for _, x := range b {
		if x != "" && !slices.Contains(a, x) {
			out = append(out, "+ "+x)
		}
	}
	for _, x := range a {
		if x != "" && !slices.Contains(b, x) {
			out = append(out, "− "+x)
		}
	}
	return strings.Join(out, ", ")
}

// collect lists the numbers and switches of a value that can be set from outside.
func collect(v reflect.Value, name string, way []any, out *[]leaf) {
	if !v.IsValid() || len(way) > 12 {
		return
	}
	under := func(more string, step any, v reflect.Value) {
		collect(v, name+more, append(slices.Clone(way), step), out)
	}
	switch v.Kind() {
	case reflect.Bool, reflect.String, reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64,
		reflect.Uint8,
		reflect.Uint16, reflect.Uint32, reflect.Uint64, reflect.Float32, reflect.Float64:
		*out = append(*out, leaf{name: strings.TrimPrefix(name, "."), way: way, kind: v.Kind()})
	case reflect.Pointer:
		if !v.IsNil() {
			under("", nil, v.Elem())
		}
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Type().Field(i); f.IsExported() {
				under("."+f.Name, i, v.Field(i))
			}
		}
	case reflect.Slice, reflect.Array:
		if v.Kind() == reflect.Slice && v.Len() > 0 {
			*out = append(*out, leaf{name: strings.TrimPrefix(name, ".") + " length", way: way, kind: reflect.Slice})
		}
		for k := range min(v.Len(), mostElements) {
			i := k
			if v.Len() > mostElements {
				i = k * (v.Len() - 1) / (mostElements - 1)
			}
			under(fmt.Sprintf("[%d]", i), i, v.Index(i))
		}
	case reflect.Map:
		keys := v.MapKeys()
		slices.SortFunc(keys, func(a, b reflect.Value) int { return cmp.Compare(fmt.Sprint(a), fmt.Sprint(b)) })
		for _, k := range keys {
			under(fmt.Sprintf("[%v]", k), k, v.MapIndex(k))
		}
	}
}

// longer is a list of n elements: its own, and then its last one again, called by another name each time.
func longer(v reflect.Value, n int) reflect.Value {
	out := reflect.MakeSlice(v.Type(), 0, n)
	for i := range n {
		e := reflect.New(v.Type().Elem()).Elem()
		e.Set(v.Index(min(i, v.Len()-1)))
		if i >= v.Len() {
			rename(e, fmt.Sprintf("-%d", i))
		}
		out = reflect.Append(out, e)
	}
	return out
}

// rename adds to the first text of a value.
func rename(v reflect.Value, more string) {
	switch v.Kind() {
	case reflect.String:
		v.SetString(v.String() + more)
	case reflect.Struct:
		for i := range v.NumField() {
			if f := v.Field(i); f.CanSet() && f.Kind() == reflect.String {
				rename(f, more)
				return
			}
		}
	}
}

func get(v reflect.Value, way []any) reflect.Value {
	for _, step := range way {
		switch s := step.(type) {
		case nil:
			v = v.Elem()
		case reflect.Value:
			v = v.MapIndex(s)
		case int:
			if v.Kind() == reflect.Struct {
				v = v.Field(s)
			} else {
				v = v.Index(s)
			}
		}
	}
	return v
}

// set is a copy of a value in which one number is another; what it does not go through is shared.
func set(v reflect.Value, way []any, x float64) reflect.Value {
	out := reflect.New(v.Type()).Elem()
	if len(way) == 0 {
		switch {
		case v.Kind() == reflect.Bool:
			out.SetBool(x != 0)
		case v.Kind() == reflect.Slice:
			out.Set(longer(v, int(x)))
		case v.Kind() == reflect.String:
			out.SetString([]string{"", "x", v.String()}[int(x)])
		case v.CanInt():
			out.SetInt(int64(x))
		case v.CanUint():
			out.SetUint(uint64(max(x, 0)))
		default:
			out.SetFloat(x)
		}
		return out
	}
	switch s := way[0].(type) {
	case nil:
		p := reflect.New(v.Type().Elem())
		p.Elem().Set(set(v.Elem(), way[1:], x))
		out.Set(p)
	case reflect.Value:
		m := reflect.MakeMap(v.Type())
		for _, k := range v.MapKeys() {
			m.SetMapIndex(k, v.MapIndex(k))
		}
		m.SetMapIndex(s, set(v.MapIndex(s), way[1:], x))
		out.Set(m)
	case int:
		switch v.Kind() {
		case reflect.Struct:
			out.Set(v)
			out.Field(s).Set(set(v.Field(s), way[1:], x))
		case reflect.Slice:
			out.Set(reflect.AppendSlice(reflect.MakeSlice(v.Type(), 0, v.Len()), v))
			out.Index(s).Set(set(v.Index(s), way[1:], x))
		default:
			out.Set(v)
			out.Index(s).Set(set(v.Index(s), way[1:], x))
		}
	}
	return out
}
