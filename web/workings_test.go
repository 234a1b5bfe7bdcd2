package web_test

import (
	"encoding/json"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"

	"pandrel/core/base/ask"
	"pandrel/core/working"
	"pandrel/store"
)

// Every working answers on its page, from its start, from a bank, as a table; what cannot be is named and stays typed.
// data are the elements that numbers stand in.
var data = regexp.MustCompile(`</?data[^>]*>`)

func TestTheShelf(t *testing.T) {
	s := newSite(t, true)
	code, list := s.get("/workings")
	if code != http.StatusOK {
		t.Fatal(code)
	}
	for _, w := range working.All() {
		if !strings.Contains(list, `href="/workings/`+w.Key+`"`) {
			t.Errorf("%s is not on the shelf", w.Key)
		}
		a, err := w.Solve(w.Example(), nil)
		if err != nil {
			t.Fatal(err)
		}
		code, body := s.get("/workings/" + w.Key)
		for _, want := range append([]string{"How it is worked out", "Not considered:"}, a.Says) {
			if code != http.StatusOK || !strings.Contains(data.ReplaceAllString(body, ""), escaped(want)) {
				t.Errorf("%s: %d, no %q", w.Key, code, want)
			}
		}
		code, body = s.get("/workings/" + w.Key + "?as=csv")
		if code != http.StatusOK || !strings.HasPrefix(body, "part,what,value,unit\n") {
			t.Errorf("%s as a table: %d %.60q", w.Key, code, body)
		}
		for _, from := range []string{"bank-1", "bank-2", "module-K-001", "lot-1", "standing-2", "pack-1"} {
			if code, _ := s.get("/workings/" + w.Key + "?at=" + from); code != http.StatusOK {
				t.Errorf("%s from %s: %d", w.Key, from, code)
			}
		}
		field := w.Fields[0].Key
		code, body = s.get("/workings/" + w.Key + "?" + url.Values{field: {`<b>x"y`}}.Encode())
		if w.Fields[0].Kind != ask.Tick && (code != 422 || strings.Contains(body, "<b>x") || w.Fields[0].Kind !=
			ask.Choice && !strings.Contains(body, "&lt;b&gt;x&#34;y")) {
			t.Errorf("%s with %s wild: %d", w.Key, field, code)
		}
	}
	for path, want := range map[string]int{"/workings/none": 404, "/workings/join?from=bank-99": 404,
		"/workings/join?from=module-nobody": 404, "/workings/join?from=street-7": 200} {
		if code, _ := s.get(path); code != want {
			t.Errorf("%s: %d, expected %d", path, code, want)
		}
	}
}

func escaped(s string) string {
	return strings.NewReplacer("&", "&amp;", "'", "&#39;", "+", "&#43;", "<", "&lt;", ">", "&gt;", `"`,
		"&#34;").Replace(s)
}

// A link holds the inputs; what is kept stands on the bank's page and on its sheet, and a rating waits in the parts.
func TestAWorkingIsKept(t *testing.T) {
	s := newSite(t, true)
	page := "/workings/fuse?from=bank-2"
	_, body := s.get(page)
	if !strings.Contains(body, "Filled from") || !strings.Contains(body, "Use this rating in") {
		t.Fatalf("%.2000s", body)
	}
	w, _ := working.ByKey("fuse")
	v := w.Example()
	form := url.Values{"from": {"bank-2"}, "typed": {"1"}, "by": {"AK"}}
	for k, x := range v {
		form.Set(k, x)
	}
	form.Set("amps", "40")
	if r := s.form(page, "/workings/fuse/keep", form); r.Code != http.StatusSeeOther ||
		r.Header().Get("Location") != "/banks/2#workings" {
		t.Fatalf("%d to %q", r.Code, r.Header().Get("Location"))
	}
	var kept []store.KeptWorking
	if err := s.st.DB.Find(&kept).Error; err != nil || len(kept) == 0 {
		t.Fatalf("%d kept, %v", len(kept), err)
	}
	last := kept[len(kept)-1]
	for _, path := range []string{"/banks/2", "/banks/2/sheet"} {
		if _, body := s.get(path); !strings.Contains(data.ReplaceAllString(body, ""), escaped(last.Says)) {
			t.Errorf("%s does not show %q", path, last.Says)
		}
	}
	if _, body := s.get("/banks/2?fuse_a=63"); !strings.Contains(body, `value="63"`) {
		t.Error("the rating does not wait in the form of the parts")
	}
	form.Set("from", "module-K-001")
	if r := s.form(page, "/workings/fuse/keep", form); r.Code != 422 {
		t.Errorf("kept with a module: %d", r.Code)
	}
	form.Set("from", "bank-2")
	form.Set("amps", "nothing")
	if r := s.form(page, "/workings/fuse/keep", form); r.Code != 422 {
		t.Errorf("what cannot be is kept: %d", r.Code)
	}
}

// The labels of a lot bear what was tested; its figures leave as objects too.
func TestTestLabelsAndFigures(t *testing.T) {
	s := newSite(t, true)
	_, labels := s.get("/lots/2/labels?kind=test")
	_, lot := s.get("/lots/2")
	if !strings.Contains(labels, " Ah</text>") || !strings.Contains(labels, "°C") || strings.Count(lot,
		`class="drawing chart"`) != 2 {
		t.Errorf("no results on the labels, or %d pictures of figures", strings.Count(lot, `class="drawing chart"`))
	}
	_, data := s.get("/lots/2/export?as=json")
	var rows []map[string]any
	if err := json.Unmarshal([]byte(data), &rows); err != nil || len(rows) < 10 || rows[0]["module"] != "K-101" ||
		rows[0]["capacity_ah"].(float64) <= 0 {
		t.Errorf("%v, %v", rows, err)
	}
	code, page := s.get("/bench")
	if code != 200 || !strings.Contains(page, `class="drawing timeline"`) || !strings.Contains(page, "Cycler A.1") {
		t.Errorf("the bench: %d", code)
	}
	form := url.Values{"d0_name": {"Mine"}, "d0_channels": {"nothing"}, "work_from": {"8"}, "work_to": {"17"},
		"by": {"AK"}}
	if r := s.form("/bench", "/bench/kit", form); r.Code != 422 ||
		!strings.Contains(r.Body.String(), `value="nothing"`) {
		t.Errorf("a device of nothing: %d", r.Code)
	}
	for key, v := range map[string]string{"channels": "3", "series": "16", "charge_a": "10", "load_a": "10",
		"ends": "yes", "groups": "yes", "isolated": "yes"} {
		form.Set("d0_"+key, v)
	}
	if r := s.form("/bench", "/bench/kit", form); r.Code != 303 {
		t.Errorf("a bench of one's own: %d", r.Code)
	}
	if _, page := s.get("/bench"); !strings.Contains(page, "Mine.3") || strings.Contains(page, "made-up") {
		t.Error("the bench is not the one that was written down")
	}
}

// From every place of the sample workshop every working opens: it answers, or it asks for what is still open. No name
// in an address is that of a field of a working.
func TestEveryWorkingOpensFromEveryPlace(t *testing.T) {
	s := newSite(t, true)
	asked := 0
	for _, place := range []string{"bank-1", "bank-2", "bank-3", "standing-1", "standing-2", "lot-1", "lot-2", "pack-1",
		"module-K-014", "module-K-001"} {
		for _, w := range working.All() {
			path := "/workings/" + w.Key + "?at=" + place
			code, body := s.get(path)
			if code != http.StatusOK {
				t.Errorf("%s: %d", path, code)
			}
			if strings.Contains(body, "Say what is still open") {
				asked++
			}
			for _, f := range w.Fields {
				if f.Key == "at" || f.Key == "typed" || f.Key == "as" {
					t.Errorf("%s has a field %s, as an address has", w.Key, f.Key)
				}
			}
		}
	}
	if asked == 0 {
		t.Error("nothing is ever asked: not known was taken for known")
	}
	if code, body := s.get("/workings/join?typed=1&a_v="); code != http.StatusOK || !strings.Contains(body,
		"Say what is still open") {
		t.Errorf("an empty field is accused: %d", code)
	}
	if code, _ := s.get("/workings/join?typed=1&a_v=x"); code != http.StatusUnprocessableEntity {
		t.Errorf("what cannot be is not accused: %d", code)
	}
	if code, body := s.get("/workings/idle?from=bank-2"); code != http.StatusOK || !strings.Contains(body,
		"Filled from") {
		t.Errorf("an address that was printed leads nowhere: %d", code)
	}
}

// What somebody says is theirs is no example any more, though it is the same number.
func TestAnExampleMayBeMine(t *testing.T) {
	s := newSite(t, false)
	_, body := s.get("/workings/one-group?typed=1&chemistry=nmc&ah=60&ends_v=4.2&charge_a=2")
	if !strings.Contains(body, "Still as in the example") || !strings.Contains(body, "They are mine") {
		t.Errorf("60 Ah and 4.2 V stand there as in the example: %.300s", body)
	}
	_, body = s.get("/workings/one-group?typed=1&mine=1&chemistry=nmc&ah=60&ends_v=4.2&charge_a=2")
	if strings.Contains(body, "Still as in the example") || strings.Contains(body, "<b>Assumed:</b>") ||
		!strings.Contains(body, `name="mine" value="1"`) {
		t.Error("what was said to be somebody's is still an example")
	}
}
