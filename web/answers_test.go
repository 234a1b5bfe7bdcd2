package web_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"pandrel/golden"
	"pandrel/store"
)

// sent is a form of a page, with what stands in its fields.
type sent struct {
	action string
	multi  bool // sent in parts, for files
	fields []field
}

type field struct{ name, kind, mode, value string }

// formsOn finds the forms of a page that save something.
func formsOn(body, path string) (out []sent) {
	doc, err := html.Parse(strings.NewReader(body))
	if err != nil {
		return nil
	}
	base, _ := url.Parse(path)
	var in *sent
	var walk func(n *html.Node)
	walk = func(n *html.Node) {
		at := map[string]string{}
		for _, a := range n.Attr {
			at[a.Key] = a.Val
		}
		_, on := at["checked"]
		switch {
		case n.Data == "form" && strings.EqualFold(at["method"], "post"):
			to, err := base.Parse(at["action"])
			if err != nil {
				return
			}
			in = &sent{action: to.String(), multi: at["enctype"] == "multipart/form-data"}
			defer func() { out, in = append(out, *in), nil }()
		case in == nil || at["name"] == "" || at["name"] == "_csrf" || at["name"] == "token":
		case n.Data == "input" && (at["type"] == "checkbox" || at["type"] == "radio"):
			if on {
				in.fields = append(in.fields, field{at["name"], at["type"], "", at["value"]})
			}
		case n.Data == "input":
			in.fields = append(in.fields, field{at["name"], at["type"], at["inputmode"], at["value"]})
		case n.Data == "textarea":
			text := ""
			if n.FirstChild != nil {
				text = n.FirstChild.Data
			}
			in.fields = append(in.fields, field{at["name"], "textarea", "", text})
		case n.Data == "select":
			in.fields = append(in.fields, field{at["name"], "select", "", chosen(n)})
		case n.Data == "button" && at["value"] != "":
			if !slices.ContainsFunc(in.fields, func(f field) bool { return f.name == at["name"] }) {
				in.fields = append(in.fields, field{at["name"], "button", "", at["value"]})
			}
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
	}
	walk(doc)
	return out
}

// chosen is what stands in a list of words.
func chosen(n *html.Node) (value string) {
	first := true
	for o := range n.Descendants() {
		if o.Data != "option" {
			continue
		}
		if on := has(o, "selected"); first || on {
			value, first = optionOf(o), false
		}
	}
	return value
}

// optionOf is what an option sends: its words where nothing else is said.
func optionOf(o *html.Node) string {
	if has(o, "value") || o.FirstChild == nil {
		return attribute(o, "value")
	}
	return strings.TrimSpace(o.FirstChild.Data)
}

// messages are what a page says of a form that it shows again, or of what was saved.
func messages(body string) (out []string) {
	doc, err := html.Parse(strings.NewReader(body))
	if err != nil {
		return nil
	}
	for n := range doc.Descendants() {
		for _, a := range n.Attr {
			if a.Key == "class" && (strings.Contains(a.Val, "invalid-feedback") || strings.Contains(a.Val, "alert")) ||
				a.Key == "role" && (a.Val == "alert" || a.Val == "status") {
				var b strings.Builder
				for c := range n.Descendants() {
					if c.Type == html.TextNode {
						b.WriteString(c.Data + " ")
					}
				}
				if text := strings.Join(strings.Fields(b.String()), " "); text != "" && !slices.Contains(out, text) {
					out = append(out, text)
				}
			}
		}
	}
	return out
}

// Each form of the sample workshop sent empty, with nonsense in its fields, with numbers that could be, and as it
// stands: what is refused and where, what is saved, and what the log says of it.
func TestWhatFormsAnswer(t *testing.T) {
	s := newSite(t, true)
	forms := map[string]sent{}
	for _, path := range []string{"/", "/station/receive", "/modules/K-001/inspect", "/modules/K-125/survey",
		"/modules/K-202/map", "/modules/K-110", "/modules/K-110/test", "/modules/K-013", "/types/2", "/types/2/face",
		"/types/3/curve", "/types/3/variants", "/types/2/teardown", "/types/1/declare", "/types/1", "/types/3",
		"/types/2/curve", "/types/1/variants", "/lots/2", "/lots/3/look", "/lots/3", "/lots/4/look", "/lots/4/survey",
		"/lots/1/logs", "/lots/1/set", "/lots/2/results", "/lots/4/results", "/modules/K-209", "/modules/K-209/inspect",
		"/modules/K-201/open", "/modules/K-128", "/modules/K-202", "/modules/K-023", "/modules/K-108",
		"/modules/K-108/test", "/modules/K-110/byhand", "/modules/K-202/check", "/modules/K-202/isolation",
		"/modules/K-202/people", "/modules/K-209/people", "/readings/1", "/readings/2", "/tests", "/tests/38",
		"/workings/volts?at=bank-1", "/workings/fuse?at=bank-2", "/banks/5/modules", "/banks/6/modules",
		"/modules/K-001/pictures", "/modules/K-001/strike", "/modules/K-110/strike", "/banks/1/replace",
		"/modules/K-013/survey", "/modules/K-006/survey", "/types/2/looks", "/banks", "/banks/1", "/banks/2",
		"/banks/3", "/banks/4", "/banks/packs", "/banks/5", "/banks/6", "/banks/standing", "/banks/7",
		"/banks/8", "/leads",
		"/leads/1", "/bms", "/bms/1", "/lots/1", "/lots/1/look", "/lots/1/survey", "/lots/1/results", "/lots/1/grade",
		"/start?what=modules", "/start?what=cells", "/start", "/practice/doubled?seed=3", "/bench", "/limits",
		"/import", "/modules/K-006", "/modules/K-128/open", "/who", "/types", "/modules/K-126", "/banks/1/sheet",
		"/banks/1/test", "/banks/1/sense", "/modules/K-020/survey", "/lots/4", "/tests/1"} {
		_, body := s.get(path)
		for _, f := range formsOn(body, path) {
			key := kindOf(f.action)
			for _, x := range f.fields {
				if x.kind == "button" {
					key += " " + x.name + "=" + x.value
				}
			}
			if _, known := forms[key]; !known {
				forms[key] = f
			}
		}
	}
	_, page := s.get("/station/receive")
	guard := csrfField.FindStringSubmatch(page)[1]
	var keys []string
	for k := range forms {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	var events int64
	s.st.DB.Model(&store.Event{}).Count(&events)
	var b strings.Builder
	for n, way := range []string{"empty", "nonsense", "as it stands", "numbers"} {
		for i, k := range keys {
			f := forms[k]
			v := url.Values{"_csrf": {guard}, "token": {fmt.Sprintf("answers%d%04d", n, i)}, "by": {"AB"}}
			for _, x := range f.fields {
				number := x.kind == "number" || x.mode == "decimal" || x.mode == "numeric"
				switch value := x.value; {
				case x.kind == "hidden" || x.kind == "button" || way == "as it stands":
					v.Add(x.name, value)
				case way == "empty":
					v.Add(x.name, "")
				case way == "nonsense" && number:
					v.Add(x.name, "-1e9")
				case way == "nonsense":
					v.Add(x.name, "x;-1\ny")
				case number && value == "":
					v.Add(x.name, "3.7")
				case value == "" && x.kind != "select":
					v.Add(x.name, "AB")
				default:
					v.Add(x.name, value)
				}
			}
			r := httptest.NewRequest(http.MethodPost, f.action, strings.NewReader(v.Encode()))
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			w := s.do(r)
			fmt.Fprintf(&b, "## %s, %s: %d %s\n", k, way, w.Code, w.Header().Get("Location"))
			body := w.Body.String()
			if to := w.Header().Get("Location"); w.Code == http.StatusSeeOther && strings.HasPrefix(to, "/") {
				_, body = s.get(to)
			}
			for _, m := range messages(body) {
				b.WriteString(m + "\n")
			}
		}
	}
	golden.Same(t, "answers-forms", b.String())
	var log []store.Event
	if err := s.st.DB.Order("id").Offset(int(events)).Find(&log).Error; err != nil {
		t.Fatal(err)
	}
	var said []string
	for _, e := range log {
		said = append(said, fmt.Sprintf("%s %s: %s", e.Who, e.Kind, e.Text))
	}
	golden.Same(t, "answers-log", strings.Join(said, "\n")+"\n")
	if len(keys) < 50 {
		t.Errorf("only %d forms were found", len(keys))
	}
}
