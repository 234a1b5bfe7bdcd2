// Package golden holds whole answers in tests: what is worked out for a case, to six digits, and where the judgement
// changes as one number of the case after the other is moved. Both are written down in testdata and compared, so that
// a limit that moved by a digit, an edge that changed sides, a sum with a turned sign or a finding that went missing
// is seen, whoever caused it.
//
//	GOLDEN=write go test ./...    # writes them anew; the difference is to be read before it is kept
package golden

import (
	"fmt"
	"hash/fnv"
	"math"
	"os"
	"path/filepath"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/known"
)

// Case is one case of a table: what goes in, by name. Words says that texts are moved, too: each that is there is left
// out, each that is not is given one. Longest is up to how many elements lists are made longer, their last element
// again and again under new names; 0 leaves them as they are.
type Case[T any] struct {
	Name    string
	In      T
	Words   bool
	Longest int
}

// Same compares a text with testdata/name.txt beside the test.
func Same(t testing.TB, name, text string) {
	t.Helper()
	path := filepath.Join("testdata", name+".txt")
	if os.Getenv("GOLDEN") == "write" {
		if err := os.MkdirAll("testdata", 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		return
	}
	want, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if string(want) == text {
		return
	}
	was, is := strings.Split(string(want), "\n"), strings.Split(text, "\n")
	shown, under := 0, ""
	for i := range max(len(was), len(is)) {
		a, b := line(was, i), line(is, i)
		if strings.HasPrefix(a, "# ") {
			under = a
		}
		if a != b {
			t.Errorf("%s:%d %s\n  expected %s\n  got      %s", path, i+1, under, a, b)
			if shown++; shown == 5 {
				break
			}
		}
	}
	t.Error("GOLDEN=write writes it anew, where it is meant")
}

func line(list []string, i int) string {
	if i < len(list) {
		return list[i]
	}
	return "(nothing)"
}

// Answers compares what is worked out for each case.
func Answers[T any](t testing.TB, name string, cases []Case[T], solve func(T) (any, error)) {
	t.Helper()
	var b strings.Builder
	for _, c := range cases {
		fmt.Fprintf(&b, "# %s\n%s\n", c.Name, answer(solve(c.In)))
	}
	Same(t, name, b.String())
}

// Judged compares what is worked out for each case, and where its judgement changes as its numbers are moved one at a
// time, over more than they can be.
func Judged[T any](t testing.TB, name string, cases []Case[T], solve func(T) (any, error)) {
	t.Helper()
	var b strings.Builder
	was := before(name)
	for _, c := range cases {
		fmt.Fprintf(&b, "# %s\n%s", c.Name, answer(solve(c.In)))
		list := changes(c.In, func(in T) string { return shape(solve(in)) }, func(in T) []string {
			return findingsOf(solve(in))
		}, moved{c.Words, c.Longest}, was[c.Name])
		if len(list) > 0 {
			b.WriteString(heading + "\n")
		}
		for _, line := range list {
			b.WriteString("  " + line + "\n")
		}
		b.WriteString("\n")
	}
	Same(t, name, b.String())
}

const heading = "where it changes:"

// findingsOf are the findings of an answer, written out, or its error.
func findingsOf(v any, err error) (out []string) {
	if err != nil {
		return []string{"error: " + err.Error()}
	}
	var walk func(v reflect.Value, deep int)
	walk = func(v reflect.Value, deep int) {
		if !v.IsValid() || deep > 12 {
			return
		}
		switch v.Kind() {
		case reflect.Pointer, reflect.Interface:
			walk(v.Elem(), deep+1)
		case reflect.Struct:
			if v.Type() == findings {
				if text := one(v); !slices.Contains(out, text) {
					out = append(out, text)
				}
				return
			}
			for i := range v.NumField() {
				if v.Type().Field(i).IsExported() {
					walk(v.Field(i), deep+1)
				}
			}
		case reflect.Slice, reflect.Array:
			for i := range v.Len() {
				walk(v.Index(i), deep+1)
			}
		}
	}
	walk(reflect.ValueOf(v), 0)
	return out
}

// before are the changes of each case that were written down, none where they are to be looked for anew.
func before(name string) map[string][]string {
	text, err := os.ReadFile(filepath.Join("testdata", name+".txt"))
	if err != nil || os.Getenv("GOLDEN") == "write" {
		return nil
	}
	out, of, here := map[string][]string{}, "", false
	for _, line := range strings.Split(string(text), "\n") {
		switch {
		case strings.HasPrefix(line, "# "):
			of, here = strings.TrimPrefix(line, "# "), false
		case line == heading:
			here = true
		case here && line != "" && !strings.HasPrefix(line, "   "): // what stands under a change is told anew
			out[of] = append(out[of], strings.TrimPrefix(line, "  "))
		}
	}
	return out
}

func answer(v any, err error) string {
	if err != nil {
		return "error: " + err.Error() + "\n"
	}
	return Text(v)
}

// Text is a value written out: what is zero is left out, numbers to six digits, long lists of numbers by some of them
// and their sum.
func Text(v any) string {
	var b strings.Builder
	write(&b, reflect.ValueOf(v), 0)
	return b.String()
}

var findings = reflect.TypeFor[finding.Finding]()

// of is a known number: its interval where it has one, and where it comes from.
func of(v known.Value) string {
	switch {
	case !v.Is():
		return "not known"
	case v.Exact():
		return number(v.V()) + " " + v.Mark()
	}
	return fmt.Sprintf("%s in %s to %s %s", number(v.V()), number(v.Low()), number(v.High()), v.Mark())
}

func number(v float64) string { return strconv.FormatFloat(v, 'g', 6, 64) }

var knowns = reflect.TypeFor[known.Value]()

func scalar(v reflect.Value) (string, bool) {
	if v.Type() == knowns {
		return of(v.Interface().(known.Value)), true
	}
	switch v.Kind() {
	case reflect.Bool:
		return strconv.FormatBool(v.Bool()), true
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		return strconv.FormatInt(v.Int(), 10), true
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		return strconv.FormatUint(v.Uint(), 10), true
	case reflect.Float32, reflect.Float64:
		return number(v.Float()), true
	case reflect.String:
		return strings.ReplaceAll(v.String(), "\n", " / "), true
	case reflect.Pointer:
		if !v.IsNil() {
			return scalar(v.Elem())
		}
	}
	return "", false
}

func write(b *strings.Builder, v reflect.Value, deep int) {
	pad := strings.Repeat("  ", deep)
	if !v.IsValid() {
		return
	}
	if text, ok := scalar(v); ok {
		b.WriteString(pad + text + "\n")
		return
	}
	switch v.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			write(b, v.Elem(), deep)
		}
	case reflect.Struct:
		if v.Type() == findings {
			b.WriteString(pad + one(v) + "\n")
			return
		}
		for i := range v.NumField() {
			if f := v.Field(i); !f.IsZero() && v.Type().Field(i).IsExported() {
				name := v.Type().Field(i).Name
				if name == "ID" && f.CanInt() {
					name = "Row"
				}
				named(b, name, f, deep)
			}
		}
	case reflect.Slice, reflect.Array:
		if text, ok := row(v); ok {
			b.WriteString(pad + text + "\n")
			return
		}
		rows(b, v, deep)
	case reflect.Map:
		keys := v.MapKeys()
		slices.SortFunc(keys, func(a, b reflect.Value) int { return strings.Compare(fmt.Sprint(a), fmt.Sprint(b)) })
		for _, k := range keys {
			named(b, fmt.Sprint(k), v.MapIndex(k), deep)
		}
	}
}

// rows are a list's elements. Of a long one the first, some between and the last are written, and a digest of all.
func rows(b *strings.Builder, v reflect.Value, deep int) {
	const most = 14
	n := v.Len()
	if n <= most {
		for i := range n {
			named(b, "-", v.Index(i), deep)
		}
		return
	}
	digest := fnv.New32a()
	for i := range n {
		var e strings.Builder
		named(&e, "-", v.Index(i), deep)
		fmt.Fprint(digest, e.String())
		if i*3/(n-1) != (i-1)*3/(n-1) || i == 0 {
			fmt.Fprintf(b, "%s%d of %d\n%s", strings.Repeat("  ", deep), i+1, n, e.String())
		}
	}
	fmt.Fprintf(b, "%sdigest of all: %08x\n", strings.Repeat("  ", deep), digest.Sum32())
}

func named(b *strings.Builder, name string, v reflect.Value, deep int) {
	pad := strings.Repeat("  ", deep)
	text, ok := scalar(v)
	if !ok && (v.Kind() == reflect.Slice || v.Kind() == reflect.Array) {
		text, ok = row(v)
	}
	if !ok && v.Type() == findings {
		text, ok = one(v), true
	}
	if ok {
		b.WriteString(pad + name + ": " + text + "\n")
		return
	}
	var inner strings.Builder
	write(&inner, v, deep+1)
	if inner.Len() > 0 {
		b.WriteString(pad + name + ":\n" + inner.String())
	}
}

// row is a list of plain values in a line.
func row(v reflect.Value) (string, bool) {
	if v.Len() == 0 {
		return "none", true
	}
	var list []string
	sum := 0.0
	for i := range v.Len() {
		text, ok := scalar(v.Index(i))
		if !ok {
			return "", false
		}
		if e := v.Index(i); e.CanFloat() {
			sum += e.Float()
		}
		list = append(list, text)
	}
	if n := len(list); n > 24 {
		var some []string
		for i := range 9 {
			some = append(some, list[i*(n-1)/8])
		}
		return fmt.Sprintf("%d, of them %s; sum %s", n, strings.Join(some, ", "), number(sum)), true
	}
	return strings.Join(list, ", "), true
}

func one(v reflect.Value) string {
	f := v.Interface().(finding.Finding)
	text := f.Level.String() + " " + f.Code
	if f.Subject != "" {
		text += " of " + f.Subject
	}
	if f.Measured != nil {
		text += ", " + number(*f.Measured)
	}
	if f.Limit != nil {
		text += " against " + number(*f.Limit)
	}
	return fmt.Sprintf("%s %s | %s | %s | %s", text, f.Unit, f.Text, f.Do, f.Rule)
}

var digits = regexp.MustCompile(`[-+]?[0-9]+([.,][0-9]+)?(e[-+]?[0-9]+)?`)

// shape is what an answer judges, without its numbers: what is found and how hard, yes and no, and the words of a
// closed list.
func shape(v any, err error) string {
	if err != nil {
		return "error " + digits.ReplaceAllString(err.Error(), "n")
	}
	seen := map[string]int{}
	shaped(seen, "", reflect.ValueOf(v), 0)
	var list []string
	for k, n := range seen {
		if n > 1 {
			k = fmt.Sprintf("%d × %s", n, k)
		}
		list = append(list, k)
	}
	slices.Sort(list)
	return strings.Join(list, "\n")
}

// In one piece: what of each kind of value is part of a judgement.
func shaped(seen map[string]int, name string, v reflect.Value, deep int) {
	if !v.IsValid() || deep > 12 {
		return
	}
	own := v.Type().PkgPath() != ""
	if v.Type() == knowns {
		k := v.Interface().(known.Value)
		seen[fmt.Sprintf("%s %s %v", name, k.Mark(), k.Exact())]++
		return
	}
	switch v.Kind() {
	case reflect.Bool:
		if v.Bool() {
			seen[name]++
		}
	case reflect.String:
		if own && v.String() != "" {
			seen[name+" "+v.String()]++
		}
	case reflect.Int, reflect.Int8, reflect.Uint8:
		if own {
			seen[fmt.Sprintf("%s %d", name, int(number64(v)))]++
		}
	case reflect.Float64:
		if math.IsNaN(v.Float()) || math.IsInf(v.Float(), 0) {
			seen[name+" is no number"]++
		}
	case reflect.Pointer, reflect.Interface:
		if !v.IsNil() {
			shaped(seen, name, v.Elem(), deep+1)
		}
	case reflect.Struct:
		if v.Type() == findings {
			f := v.Interface().(finding.Finding)
			seen[f.Level.String()+" "+f.Code]++
			return
		}
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				shaped(seen, v.Type().Field(i).Name, v.Field(i), deep+1)
			}
		}
	case reflect.Slice, reflect.Array:
		for i := range v.Len() {
			shaped(seen, name, v.Index(i), deep+1)
		}
	case reflect.Map:
		for _, k := range v.MapKeys() {
			shaped(seen, name+" "+fmt.Sprint(k), v.MapIndex(k), deep+1)
		}
	}
}
