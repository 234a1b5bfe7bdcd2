package web_test

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"testing"

	"golang.org/x/net/html"
)

// Whatever is typed into any form, valid or half valid, stands on the page that follows where the form is refused, and
// is in the record or on the page where it is taken.
func TestNothingTypedIsLost(t *testing.T) {
	forms := everyForm(newSite(t, true))
	if len(forms) < 100 {
		t.Errorf("%d forms were found: expected those of every room", len(forms))
	}
	for n, f := range forms {
		t.Run(fmt.Sprint(n), func(t *testing.T) {
			t.Parallel()
			s := newSite(t, true)
			for seed := range 6 {
				s.keeps(f.page, f.sent, n, seed)
			}
		})
	}
}

// shown is a form and a page on which it stands.
type shown struct {
	page string
	sent
	choices []choice
}

// everyForm crawls the sample workshop for its forms, each kind once.
func everyForm(s *site) (out []shown) {
	seen, done, kinds := map[string]bool{}, map[string]bool{}, map[string]int{}
	queue := []string{"/", "/modules/K-006", "/modules/K-009", "/modules/K-108", "/modules/K-126", "/modules/K-201",
		"/modules/K-013", "/banks/1", "/banks/2", "/banks/3", "/banks/4", "/banks/5", "/banks/6", "/banks/7",
		"/banks/8", "/banks/9", "/bms/1", "/lots/1", "/lots/2", "/types/1", "/types/2", "/types/3", "/banks/standing",
		"/tests",
		"/start?what=modules", "/start?what=cells"}
	for len(queue) > 0 {
		path := queue[0]
		queue = queue[1:]
		if kind := kindOf(path); done[path] || kinds[kind] >= 3 || strings.HasPrefix(path, "/static") ||
			strings.HasPrefix(path, "/practice") || strings.HasPrefix(path, "/workings") {
			continue
		} else {
			kinds[kind]++
		}
		done[path] = true
		w := s.do(httptest.NewRequest(http.MethodGet, path, nil))
		if !strings.HasPrefix(w.Header().Get("Content-Type"), "text/html") {
			continue
		}
		for _, f := range formsOn(w.Body.String(), path) {
			var names []string
			for _, x := range f.fields {
				names = append(names, x.name)
			}
			slices.Sort(names)
			key := kindOf(f.action) + " " + strings.Join(slices.Compact(names), " ")
			if !seen[key] {
				seen[key] = true
				out = append(out, shown{path, f, choicesOn(w.Body.String(), path, f.action)})
			}
		}
		_, links := says(w, path)
		queue = append(queue, links...)
	}
	return out
}

// keeps fills in a form and finds what was typed: in the fields where it is refused, else on the page that follows or
// in the record.
func (s *site) keeps(page string, f sent, n, seed int) {
	v, typed := fillIn(rand.New(rand.NewPCG(uint64(n), uint64(seed))), f, seed)
	if len(typed) == 0 {
		return
	}
	if _, body := s.get(page); seed > 0 && !strings.Contains(body, `action="`+f.action+`"`) {
		return // what was kept before left nothing to fill in
	}
	w := s.sent(page, f, v)
	text, record := inFields(w.Body.String()), ""
	if to := w.Header().Get("Location"); w.Code == http.StatusSeeOther {
		_, text = s.get(strings.SplitN(to, "#", 2)[0])
	}
	for name, x := range typed {
		if stands(text, x) {
			continue
		}
		if record == "" {
			record = s.record()
		}
		if !stands(record, x) {
			s.t.Errorf("%s of %s, seed %d: %s=%q is lost, answered %d", f.action, page, seed, name, x, w.Code)
		}
	}
}

// sent sends a form as a browser would.
func (s *site) sent(page string, f sent, v url.Values) *httptest.ResponseRecorder {
	if !f.multi {
		return s.form(page, f.action, v)
	}
	_, body := s.get(page)
	v.Set("_csrf", csrfField.FindStringSubmatch(body)[1])
	if v.Get("token") == "" {
		v.Set("token", tokenField.FindStringSubmatch(body)[1])
	}
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for name, all := range v {
		for _, x := range all {
			_ = m.WriteField(name, x)
		}
	}
	for _, x := range f.fields {
		if x.kind == "file" { // as it is sent where none is chosen
			_, _ = m.CreateFormFile(x.name, "")
		}
	}
	_ = m.Close()
	r := httptest.NewRequest(http.MethodPost, f.action, &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	return s.do(r)
}

// fillIn types into a form: seeds 0 and 1 fill every field, 2 and 3 half of them, the odd ones with one that no reader
// takes.
func fillIn(rnd *rand.Rand, f sent, seed int) (v url.Values, typed map[string]string) {
	v, typed = url.Values{}, map[string]string{}
	var open []string
	for _, x := range f.fields {
		text := x.value
		switch {
		case x.kind == "hidden" || x.kind == "select" || x.kind == "checkbox" || x.kind == "radio" ||
			x.kind == "button" ||
			x.kind == "file":
		case x.name == "by":
			text = "QX"
		case seed/2 == 1 && rnd.IntN(2) == 0:
		case x.kind == "date":
		case x.kind == "textarea":
			if seed/2 == 2 || x.value == "" {
				text = "Wort " + strconv.Itoa(1000+rnd.IntN(9000))
				typed[x.name] = text
			}
		case x.mode == "numeric":
			text = strconv.Itoa(2 + rnd.IntN(7))
			typed[x.name] = text
		case x.mode == "decimal":
			text = strconv.FormatFloat(float64(1000+rnd.IntN(9000))/1000, 'f', 3, 64)
			typed[x.name] = text
		default:
			text = "Wort" + strconv.Itoa(1000+rnd.IntN(9000))
			typed[x.name] = text
		}
		if x.kind != "file" && x.name != "typical" {
			v.Add(x.name, text)
		}
		if typed[x.name] != "" {
			open = append(open, x.name)
		}
	}
	if seed%2 == 1 && len(open) > 0 {
		name := open[rnd.IntN(len(open))]
		typed[name] = "about ?" + strconv.Itoa(rnd.IntN(1000))
		v.Set(name, typed[name])
	}
	return v, typed
}

// inFields is what stands in the fields of a page.
func inFields(body string) string {
	doc, err := html.Parse(strings.NewReader(body))
	if err != nil {
		return ""
	}
	var b strings.Builder
	for n := range doc.Descendants() {
		if n.Data == "input" {
			b.WriteString(attribute(n, "value") + "\n")
		}
		if n.Data == "textarea" && n.FirstChild != nil {
			b.WriteString(n.FirstChild.Data + "\n")
		}
	}
	return b.String()
}

// stands reports whether a typed value stands in a text, as it was typed or as the number that it is.
func stands(text, typed string) bool {
	if strings.Contains(text, typed) {
		return true
	}
	x, err := strconv.ParseFloat(typed, 64)
	if err != nil {
		return strings.Contains(strings.ToLower(text), strings.ToLower(typed))
	}
	for _, scale := range []float64{1, 1000, 0.001, 60, 3600} {
		if strings.Contains(text, strconv.FormatFloat(math.Round(x*scale*1e9)/1e9, 'f', -1, 64)) {
			return true
		}
	}
	return false
}

// record is all that the workshop has on record, as text.
func (s *site) record() string {
	var tables []string
	s.st.DB.Raw("select name from sqlite_master where type = 'table'").Scan(&tables)
	var b strings.Builder
	for _, name := range tables {
		rows, err := s.st.DB.Raw("select * from " + name).Rows()
		if err != nil {
			s.t.Fatal(err)
		}
		cols, _ := rows.Columns()
		vals := make([]any, len(cols))
		for i := range vals {
			vals[i] = new(any)
		}
		for rows.Next() {
			if rows.Scan(vals...) != nil {
				continue
			}
			for _, p := range vals {
				switch x := (*p.(*any)).(type) {
				case []byte:
					if len(x) < 1<<16 {
						b.Write(x)
					}
				default:
					fmt.Fprint(&b, x)
				}
				b.WriteByte('\n')
			}
		}
		_ = rows.Close()
	}
	return b.String()
}
