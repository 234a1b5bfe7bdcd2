package web_test

import (
	"bytes"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"io"
	"log/slog"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/demo"
	"pandrel/demo/sample"
	"pandrel/shop"
	"pandrel/shop/test"
	"pandrel/store"
	"pandrel/web"
	"pandrel/web/door"
)

var now = time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)

// site is a workshop behind its handler, with a browser's cookies.
type site struct {
	t       testing.TB
	h       http.Handler
	st      *store.Store
	shop    *shop.Shop
	cookies map[string]string
}

func newSite(t testing.TB, fill bool) *site {
	t.Helper()
	var st *store.Store
	if fill {
		st = sample.Open(t, now)
	} else {
		var err error
		if st, err = store.Open(t.TempDir()); err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { _ = st.Close() })
	}
	sh := shop.New(st, func() time.Time { return now })
	h, err := web.New(sh, door.Place{Listen: "127.0.0.1:8460"}, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		t.Fatal(err)
	}
	return &site{t, h, st, sh, map[string]string{}}
}

func (s *site) do(r *http.Request) *httptest.ResponseRecorder {
	if r.Host == "example.com" {
		r.Host = "127.0.0.1:8460"
	}
	for k, v := range s.cookies {
		r.AddCookie(&http.Cookie{Name: k, Value: v})
	}
	w := httptest.NewRecorder()
	s.h.ServeHTTP(w, r)
	if _, timed := s.t.(*testing.B); !timed && strings.HasPrefix(w.Header().Get("Content-Type"), "text/html") {
		w.Body = bytes.NewBufferString(onOneLine(w.Body.String()))
	}
	for _, c := range w.Result().Cookies() {
		s.cookies[c.Name] = c.Value
	}
	return w
}

var (
	anySpace   = regexp.MustCompile(`\s+`)
	betweenTag = regexp.MustCompile(`(>) (<)`)
	beforeEnd  = regexp.MustCompile(` (/?>)`)
)

// onOneLine takes the layout of the templates out of a page: how its lines are broken is nothing that a person sees.
func onOneLine(body string) string {
	before, rest, ok := strings.Cut(body, "<textarea")
	if ok { // what is typed there keeps its lines
		text, after, _ := strings.Cut(rest, "</textarea>")
		return onOneLine(before) + "<textarea" + text + "</textarea>" + onOneLine(after)
	}
	body = anySpace.ReplaceAllString(body, " ")
	body = beforeEnd.ReplaceAllString(body, "$1")
	return betweenTag.ReplaceAllString(body, "$1$2")
}

func (s *site) get(path string) (int, string) {
	s.t.Helper()
	w := s.do(httptest.NewRequest(http.MethodGet, path, nil))
	return w.Code, w.Body.String()
}

var (
	csrfField  = regexp.MustCompile(`name="_csrf" value="([^"]+)"`)
	tokenField = regexp.MustCompile(`name="token" value="([^"]+)"`)
)

// form opens page, takes its hidden fields and posts values to action as a page of this site would.
func (s *site) form(page, action string, values url.Values) *httptest.ResponseRecorder {
	s.t.Helper()
	_, body := s.get(page)
	m, k := csrfField.FindStringSubmatch(body), tokenField.FindStringSubmatch(body)
	if m == nil || k == nil {
		s.t.Fatalf("%s has no form", page)
	}
	values.Set("_csrf", m[1])
	if values.Get("token") == "" {
		values.Set("token", k[1])
	}
	r := httptest.NewRequest(http.MethodPost, action, strings.NewReader(values.Encode()))
	r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	return s.do(r)
}

func TestEveryDemoPageAnswers(t *testing.T) {
	s := newSite(t, true)
	for _, path := range []string{"/", "/keys", "/banks/packs", "/banks/5", "/banks/6", "/banks/6?side_v=45,4",
		"/banks/6?side_v=many", "/banks/6?side_v=3", "/practice", "/practice/doubled?seed=3", "/search?q=K-0",
		"/types", "/types/2", "/types/2/pins", "/types/3/pins", "/types/1/face", "/types/2/face", "/types/1/variants",
		"/types/3/variants", "/types/2/curve", "/types/3/curve", "/types/1/looks", "/types/2/teardown",
		"/types/3/teardown", "/banks/standing", "/banks/7", "/leads", "/leads/1", "/leads/2", "/leads/3",
		"/practice/lost-isolation?seed=3", "/strip/lot/1", "/strip/lot/4", "/strip/type/2", "/strip/bank/1",
		"/strip/module/23", "/modules/K-128/open", "/modules/K-201/open", "/modules/K-126/survey?picture=3",
		"/modules/K-013", "/lots/2", "/lots/4", "/lots/1", "/station/receive", "/station/inspect", "/station/map",
		"/station/survey", "/station/test", "/station/grade", "/station/design", "/station/wire", "/station/keep",
		"/station/out",
		"/modules/K-006", "/modules/k-108", "/modules/K-020/survey", "/modules/K-202/map", "/modules/K-110/test",
		"/modules/K-209/inspect", "/readings/1", "/banks/1", "/banks/2", "/banks/3", "/banks/1/sheet"} {
		code, body := s.get(path)
		if code != http.StatusOK || !strings.Contains(body, "</html>") {
			t.Errorf("%s: %d", path, code)
		}
		for _, bad := range []string{"<no value>", "%!", "NaN", "ZgotmplZ", "style=\"", "onclick"} {
			if strings.Contains(body, bad) {
				t.Errorf("%s contains %q", path, bad)
			}
		}
	}
}

func TestALabelsCodeOpensItsModule(t *testing.T) {
	s := newSite(t, true)
	code, body := s.get("/lots/1/labels?grid=letter&parts=cover,board")
	if code != 200 || strings.Count(body, `class="sticker"`) != 3*22 || !strings.Contains(body, "labels-letter") {
		t.Errorf("%d, %d stickers", code, strings.Count(body, `class="sticker"`))
	}
	w := s.do(httptest.NewRequest(http.MethodGet, "/m/k-001", nil))
	if w.Code != http.StatusSeeOther || w.Header().Get("Location") != "/modules/K-001" {
		t.Errorf("%d to %s", w.Code, w.Header().Get("Location"))
	}
	w = s.do(httptest.NewRequest(http.MethodGet, "/search?q=+k-001+", nil))
	if w.Header().Get("Location") != "/modules/K-001" {
		t.Errorf("a scanned number led to %q", w.Header().Get("Location"))
	}
}

func TestErrorPagesSayWhatToDo(t *testing.T) {
	s := newSite(t, false)
	for path, want := range map[string]string{"/nowhere": "There is no such page", "/modules/K-999": "module K-999 " +
		"does not exist", "/banks/7": "bank 7 does not exist", "/lots/x": "does not exist",
		"/station/attic": "does not exist", "/readings/5": "does not exist", "/tests/5000/original": "does not exist"} {
		t.Run(path, func(t *testing.T) {
			code, body := s.get(path)
			if code != http.StatusNotFound || !strings.Contains(body, want) || strings.Contains(body, "goroutine") {
				t.Errorf("%s: %d, %q", path, code, want)
			}
		})
	}
}

func TestHostsAndForgeries(t *testing.T) {
	s := newSite(t, false)
	for host, want := range map[string]int{"127.0.0.1:8460": 200, "localhost:8460": 200, "[::1]:8460": 200,
		"evil.example": 421, "evil.example:8460": 421, "127.0.0.1:9999": 421} {
		t.Run(host, func(t *testing.T) {
			r := httptest.NewRequest(http.MethodGet, "/", nil)
			r.Host = host
			if w := s.do(r); w.Code != want {
				t.Errorf("host %s: %d, want %d", host, w.Code, want)
			}
		})
	}
	body := url.Values{"supplier": {"x"}, "arrived_on": {"2026-11-20"}, "token": {"abcdefgh"}}.Encode()
	for name, f := range map[string]func(*http.Request){
		"no token":   func(*http.Request) {},
		"cross site": func(r *http.Request) { r.Header.Set("Sec-Fetch-Site", "cross-site") },
		"bad token":  func(r *http.Request) { r.Header.Set("X-CSRF-Token", "guess") },
	} {
		t.Run(name, func(t *testing.T) {
			r := httptest.NewRequest(http.MethodPost, "/lots", strings.NewReader(body))
			r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
			f(r)
			if w := s.do(r); w.Code != http.StatusForbidden && w.Code != http.StatusBadRequest {
				t.Errorf("%s: %d", name, w.Code)
			}
		})
	}
	var lots int64
	s.st.DB.Model(&store.Lot{}).Count(&lots)
	if lots != 0 {
		t.Error("a forged form was saved")
	}
}

func TestAFailedFormKeepsWhatWasTyped(t *testing.T) {
	s := newSite(t, true)
	cases := []struct {
		page, action string
		values       url.Values
		keeps, says  string
	}{
		{"/station/receive", "/lots", url.Values{"supplier": {"Tannery Row"}, "arrived_on": {"20.11.2026"},
			"price": {"85"}}, `value="Tannery Row"`, "expected a date"},
		{"/lots/1", "/lots/1/modules", url.Values{"type": {"1"}, "first": {"K-001"}, "count": {"12"},
			"plate_note": {"worn plate"}}, `value="worn plate"`, "exist"},
		{"/types", "/types", url.Values{"name": {"NEW-1"}, "rated_ah": {"minus one"}, "posts": {"A B"}},
			`value="NEW-1"`, "not a number"},
		{"/modules/K-125/survey", "/modules/K-125/survey", url.Values{"g1": {"3,781"}, "g2": {"high"}},
			`value="3,781"`, "not a number"},
		{"/modules/K-125/survey", "/modules/K-125/survey", url.Values{"g1": {"3,781"}}, `value="3,781"`,
			"expected a number"},
		{"/modules/K-202/map", "/modules/K-202/map", url.Values{"readings": {"P1 P2 3,9\nP3 P2 low"}}, "P3 P2 low",
			"line 2"},
		{"/modules/K-202/map", "/modules/K-202/map", url.Values{"readings": {""}}, "Keep these readings", "empty"},
		{"/modules/K-110/test", "/modules/K-110/hand", url.Values{"capacity_ah": {"900"}, "note": {"from the display"}},
			`value="from the display"`, "one and a half times"},
		{"/station/design", "/banks", url.Values{"name": {"Shed"}, "cutoff_v": {"60"}, "charge_max_v": {"58"},
			"abs_max_v": {"64"}, "load_w": {"100"}, "kwh": {"1"}}, `value="Shed"`, "expected below the charge setting"},
		{"/banks/2", "/banks/2/sense", url.Values{"bms": {"B1"}, "s0": {"0"}, "s1": {"wet"}}, `value="wet"`,
			"not a number"},
		{"/modules/K-209/inspect", "/modules/K-209/inspect", url.Values{"note": {"dusty"}}, `value="dusty"`,
			"not looked at yet"},
		{"/modules/K-209/inspect", "/modules/K-209/inspect", url.Values{"clear": {"yes"}, "thickness_mm": {"thick"},
			"note": {"dusty"}}, `value="dusty"`, "not a number"},
		{"/types/2/face", "/types/2/face", url.Values{"do": {"connector"}, "new_pins": {"900"}, "new_prefix": {"Q"},
			"version": {"9"}, "p0_x": {"5"}, "p0_y": {"5"}, "p1_x": {"5"}, "p1_y": {"5"}, "c0_x": {"5"},
			"c0_y": {"5"}}, `value="Q"`, "expected 1 to 120 pins"},
		{"/types/3/looks", "/types/3/looks", url.Values{"thickness_mm": {"-4"}, "where-skin": {"the lid"},
			"version": {"1"}}, `value="the lid"`, "expected 0 (not known)"},
		{"/types/3/curve", "/types/3/curve", url.Values{"points": {"0 3,2\n50 hello"}, "source": {"sheet"},
			"version": {"1"}}, "50 hello", "line 2"},
		{"/types/3/teardown", "/types/3/teardown", url.Values{"rows": {"3"}, "after": {"0"}, "do2": {"Undo the lid"},
			"count2": {"8"}}, `value="Undo the lid"`, "8 of what?"},
		{"/banks/standing", "/banks/standing", url.Values{"name": {"Shed"}, "nominal_v": {"48"}, "full_v": {"40"}},
			`value="Shed"`, "at least the nominal one"},
		{"/banks/7", "/banks/7/open/step", url.Values{"step": {"sense-out"}, "override": {"no time"}},
			`value="no time"`, "15 letters or more"},
		{"/leads", "/leads", url.Values{"name": {"L9"}, "type": {"3"}}, `value="L9"`, "has no layout yet"},
		{"/leads/2", "/leads/2/check", url.Values{"kind": {"continuity"}, "t0": {"zero"}, "t1": {"1"}},
			`value="zero"`, "expected numbers of inputs"},
		{"/leads/1", "/leads/1", url.Values{"version": {"1"}, "name": {"7A"}, "w0": {"X1"}, "m0": {"grey plug"},
			"w1": {"X1"}, "m1": {"grey plug"}}, `value="grey plug"`, "has two wires"},
		{"/modules/K-128/open", "/modules/K-128/open",
			url.Values{"step": {"s1"}, "way": {"on"}, "fasteners": {"many"}}, "Parts tray", "expected a whole number"},
		{"/station/receive", "/lots", url.Values{"supplier": {"Yard"}, "arrived_on": {"2026-11-20"},
			"pallet_freight": {"95"}, "claims": {"like new"}}, `value="like new"`, "expected how many pallets"},
	}
	for _, c := range cases {
		t.Run(c.page, func(t *testing.T) {
			w := s.form(c.page, c.action, c.values)
			if w.Code != http.StatusUnprocessableEntity {
				t.Errorf("%s: %d", c.action, w.Code)
			}
			if b := w.Body.String(); !strings.Contains(b, c.keeps) || !strings.Contains(b, c.says) {
				t.Errorf("%s: keeps %q: %v, says %q: %v", c.action, c.keeps, strings.Contains(b, c.keeps), c.says,
					strings.Contains(b, c.says))
			}
		})
	}
}

func TestSendingTwiceSavesOnce(t *testing.T) {
	s := newSite(t, true)
	v := url.Values{"g1": {"3,781"}, "g2": {"3.781"}, "g3": {"3.781"}, "g4": {"3.781"}, "g5": {"3.781"},
		"g6": {"3.781"}, "g7": {"3.781"}, "token": {"the-very-same-form"}}
	for range 2 {
		if w := s.form("/modules/K-126/survey", "/modules/K-126/survey", v); w.Code != http.StatusSeeOther {
			t.Fatalf("%d: %s", w.Code, w.Body)
		}
	}
	var n int64
	s.st.DB.Model(&store.Survey{}).Where("token LIKE 'the-very-same-form.%'").Count(&n)
	if n != 1 {
		t.Errorf("%d surveys", n)
	}
}

func TestTheLoserOfTwoEditorsSeesBoth(t *testing.T) {
	s := newSite(t, true)
	edit := func(price string) *httptest.ResponseRecorder {
		return s.form("/lots/1", "/lots/1", url.Values{"version": {"1"}, "supplier": {"Depot"},
			"arrived_on": {"2026-11-04"}, "price": {price}, "token": {"edit-" + price}})
	}
	if w := edit("1500"); w.Code != http.StatusSeeOther {
		t.Fatalf("%d", w.Code)
	}
	w := edit("1600")
	if b := w.Body.String(); w.Code != http.StatusUnprocessableEntity || !strings.Contains(b, `value="1600"`) ||
		!strings.Contains(b, "Saved meanwhile by somebody else: 1500") {
		t.Errorf("%d", w.Code)
	}
}

// uploadAs posts a log to be looked at, with other fields.
func (s *site) uploadAs(number, file, data string, fields url.Values) *httptest.ResponseRecorder {
	s.t.Helper()
	_, page := s.get("/modules/" + number + "/test")
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for k := range fields {
		_ = m.WriteField(k, fields.Get(k))
	}
	_ = m.WriteField("token", "look-at-"+file)
	part, err := m.CreateFormFile("file", file)
	if err != nil {
		s.t.Fatal(err)
	}
	_, _ = io.WriteString(part, data)
	_ = m.Close()
	r := httptest.NewRequest(http.MethodPost, "/modules/"+number+"/trace", &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	r.Header.Set("X-CSRF-Token", csrfField.FindStringSubmatch(page)[1])
	return s.do(r)
}

// upload posts a log to a module, and keeps it without a look.
func (s *site) upload(number, file string, data io.Reader, size int) *httptest.ResponseRecorder {
	s.t.Helper()
	_, page := s.get("/modules/" + number + "/test")
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	_ = m.WriteField("_csrf", csrfField.FindStringSubmatch(page)[1])
	_ = m.WriteField("token", fmt.Sprintf("upload-%s-%d", file, size))
	_ = m.WriteField("keep", "yes")
	part, err := m.CreateFormFile("file", file)
	if err != nil {
		s.t.Fatal(err)
	}
	if _, err := io.Copy(part, data); err != nil {
		s.t.Fatal(err)
	}
	_ = m.Close()
	r := httptest.NewRequest(http.MethodPost, "/modules/"+number+"/trace", &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	r.Header.Set("X-CSRF-Token", csrfField.FindStringSubmatch(page)[1])
	return s.do(r)
}

func TestUploads(t *testing.T) {
	s := newSite(t, true)
	cases := []struct {
		name, data string
		code       int
		says       string
	}{
		{"empty.csv", "", 422, "empty"},
		{"binary.csv", "\x7fELF\x00\x00", 422, "binary"},
		{"columns.csv", "name,colour\na,b\n", 422, "no header"},
		{"groups.csv", "time_s,group1,group2,amps\n0,4,4,0\n1,4,4,0\n", 422, "K-116"},
		{"good.csv", "time_s,volts,amps\n0,28.9,0\n60,28.9,0\n120,27,-10\n180,26.9,-10\n240,26.8,-10\n300,26.7,-10\n",
			303, ""},
		{"../../etc/passwd", "time_s,volts,amps\n0,28.9,0\n60,28.9,0\n120,27,-11\n180,26.9,-11\n240,26.8,-11\n", 303,
			""},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			w := s.upload("K-116", c.name, strings.NewReader(c.data), len(c.data))
			if w.Code != c.code || c.says != "" && !strings.Contains(w.Body.String(), c.says) {
				t.Errorf("%s: %d", c.name, w.Code)
			}
		})
	}
	var names []string
	s.st.DB.Model(&store.Test{}).Where("module_id = (SELECT id FROM modules WHERE number = 'K-116')").Pluck(
		"file_name", &names)
	for _, n := range names {
		if strings.ContainsAny(n, "/\\") {
			t.Errorf("a path was kept as a file's name: %s", n)
		}
	}
}

// photograph posts files as pictures of a module.
func (s *site) photograph(number, kind string, files ...string) *httptest.ResponseRecorder {
	s.t.Helper()
	_, page := s.get("/modules/" + number)
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	for k, v := range map[string]string{"_csrf": csrfField.FindStringSubmatch(page)[1],
		"token": fmt.Sprintf("photo-%s-%d-%d", kind, len(files), len(files[0])), "kind": kind, "caption": "left side"} {
		_ = m.WriteField(k, v)
	}
	for i, data := range files {
		part, err := m.CreateFormFile("picture", fmt.Sprintf("../%d.jpg", i))
		if err != nil {
			s.t.Fatal(err)
		}
		if _, err := io.WriteString(part, data); err != nil {
			s.t.Fatal(err)
		}
	}
	_ = m.Close()
	r := httptest.NewRequest(http.MethodPost, "/modules/"+number+"/pictures", &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	r.Header.Set("X-CSRF-Token", csrfField.FindStringSubmatch(page)[1])
	return s.do(r)
}

func TestPictures(t *testing.T) {
	s := newSite(t, true)
	var shot bytes.Buffer
	if err := jpeg.Encode(&shot, image.NewGray(image.Rect(0, 0, 60, 40)), nil); err != nil {
		t.Fatal(err)
	}
	good := shot.String()
	for _, c := range []struct {
		name, kind string
		files      []string
		code       int
		says       string
	}{
		{"text", "module", []string{"not a picture"}, 422, "expected a JPEG"},
		{"empty", "module", []string{""}, 422, "Choose or take a picture"},
		{"seven", "module", slices.Repeat([]string{good}, 7), 422, "at most 6"},
		{"text for a survey", "screen", []string{"not one"}, 422, "expected a JPEG"},
		{"two at once", "module", []string{good, good}, 303, ""}, {"screen", "screen", []string{good}, 303, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			w := s.photograph("K-127", c.kind, c.files...)
			if w.Code != c.code || !strings.Contains(w.Body.String(), c.says) {
				t.Errorf("%s: %d, %q not said", c.name, w.Code, c.says)
			}
		})
	}
	var ids []int64
	s.st.DB.Model(&store.Picture{}).Where("module_id = (SELECT id FROM modules WHERE number = 'K-127') AND caption "+
		"= 'left side'").Pluck("id", &ids)
	if len(ids) != 3 {
		t.Fatalf("%d pictures kept", len(ids))
	}
	w := s.do(httptest.NewRequest(http.MethodGet, fmt.Sprintf("/pictures/%d", ids[0]), nil))
	if w.Code != 200 || w.Header().Get("Content-Type") != "image/jpeg" ||
		w.Header().Get("X-Content-Type-Options") != "nosniff" {
		t.Errorf("%d %v", w.Code, w.Header())
	}
	if code, _ := s.get("/pictures/999999"); code != 404 {
		t.Errorf("a picture that is not there: %d", code)
	}
}

func TestTheDisconnectIsFound(t *testing.T) {
	s := newSite(t, true)
	for reading, says := range map[string]string{"45,4": "sits after module 6", "3": "fits no bridge",
		"many": "not a number"} {
		t.Run(reading, func(t *testing.T) {
			if code, body := s.get("/banks/6?side_v=" + url.QueryEscape(reading)); code != 200 ||
				!strings.Contains(body, says) {
				t.Errorf("%s: %d, %q not said", reading, code, says)
			}
		})
	}
}

// Turning a face leads back only to pages of this workshop.
func TestTurningLeadsNowhereElse(t *testing.T) {
	s := newSite(t, true)
	for back, want := range map[string]string{"/modules/K-125/survey": "/modules/K-125/survey",
		"//evil.example": "/types/2", "https://evil.example": "/types/2", "/\\evil.example": "/types/2",
		"": "/types/2"} {
		t.Run(back, func(t *testing.T) {
			w := s.do(httptest.NewRequest(http.MethodGet, "/types/2/lie?as=1f1&back="+url.QueryEscape(back), nil))
			if got := w.Header().Get("Location"); w.Code != http.StatusSeeOther || got != want {
				t.Errorf("back to %q went to %q", back, got)
			}
		})
	}
	if s.cookies["pandrel_lie_2"] != "1f1" {
		t.Errorf("cookie %q", s.cookies["pandrel_lie_2"])
	}
	r := httptest.NewRequest(http.MethodGet, "/types/2/lie?as=9f7&back=/", nil)
	r.Header.Set("HX-Request", "true")
	if w := s.do(r); w.Code != 200 || !strings.Contains(w.Body.String(), "data-face-box") ||
		strings.Contains(w.Body.String(), "<html") {
		t.Errorf("%d %.80s", w.Code, w.Body)
	}
}

// Two people write down how a type is opened: the second loses nothing, and can save after the first.
func TestTwoWriteTheSameTeardown(t *testing.T) {
	s := newSite(t, true)
	post := func(do, after, token string) *httptest.ResponseRecorder {
		return s.form("/types/3/teardown", "/types/3/teardown", url.Values{"rows": {"3"}, "after": {after},
			"do1": {do}, "token": {token}})
	}
	if w := post("Lift the lid", "0", "teardown-one"); w.Code != http.StatusSeeOther {
		t.Fatalf("%d", w.Code)
	}
	w := post("Pull the plug", "0", "teardown-two")
	m := regexp.MustCompile(`name="after" value="(\d+)"`).FindStringSubmatch(w.Body.String())
	if w.Code != 422 || m == nil || m[1] == "0" || !strings.Contains(w.Body.String(), `value="Pull the plug"`) {
		t.Fatalf("%d %v", w.Code, m)
	}
	if w := post("Pull the plug", m[1], "teardown-three"); w.Code != http.StatusSeeOther {
		t.Errorf("%d", w.Code)
	}
}

func TestTooLargeIsSaidClearly(t *testing.T) {
	s := newSite(t, true)
	big := io.LimitReader(zeros{}, test.MaxLogBytes+3<<20)
	w := s.upload("K-116", "big.csv", big, 1)
	if w.Code != http.StatusRequestEntityTooLarge || !strings.Contains(w.Body.String(), "64 MiB") {
		t.Errorf("%d: %.200s", w.Code, w.Body.String())
	}
	w = s.form("/station/receive", "/lots", url.Values{"supplier": {strings.Repeat("x", 2<<20)}})
	if w.Code != http.StatusRequestEntityTooLarge {
		t.Errorf("a form of 2 MiB: %d", w.Code)
	}
}

type zeros struct{}

func (zeros) Read(p []byte) (int, error) {
	for i := range p {
		p[i] = '0'
	}
	return len(p), nil
}

func TestTextFromOutsideStaysText(t *testing.T) {
	s := newSite(t, true)
	evil := `<script>alert(1)</script>`
	if w := s.form("/station/receive", "/lots",
		url.Values{"supplier": {evil}, "arrived_on": {"2026-11-20"}}); w.Code != http.StatusSeeOther {
		t.Fatal(w.Code)
	}
	for _, path := range []string{"/station/receive", "/search?q=" + url.QueryEscape(evil), "/"} {
		if _, body := s.get(path); strings.Contains(body, evil) {
			t.Errorf("%s runs what was typed", path)
		}
	}
}

func TestLiveAnswersSaveNothing(t *testing.T) {
	s := newSite(t, true)
	w := s.form("/modules/K-202/map", "/modules/K-202/map/try", url.Values{"readings": {"P1 P2 7,7\nP3 P2 3,8"}})
	if w.Code != 200 || !strings.Contains(w.Body.String(), "2 groups in series") ||
		strings.Contains(w.Body.String(), "<html") {
		t.Errorf("%d: %.300s", w.Code, w.Body.String())
	}
	w = s.form("/modules/K-125/survey", "/modules/K-125/survey/try", url.Values{"g1": {"3,781"}, "g2": {"3781"}})
	if w.Code != 200 || !strings.Contains(w.Body.String(), "Take 3.781 V") {
		t.Errorf("%d: %.300s", w.Code, w.Body.String())
	}
	var sets, surveys int64
	s.st.DB.Model(&store.ProbeSet{}).Where("module_id = (SELECT id FROM modules WHERE number = 'K-202')").Count(&sets)
	s.st.DB.Model(&store.Survey{}).Where("module_id = (SELECT id FROM modules WHERE number = 'K-125')").Count(&surveys)
	if sets != 0 || surveys != 0 {
		t.Errorf("%d sets, %d surveys were saved", sets, surveys)
	}
}

func benchPage(b *testing.B, path string) {
	s := newSite(b, true)
	if err := demo.Crowd(context.Background(), s.st, 1, 5000, now); err != nil {
		b.Fatal(err)
	}
	b.ResetTimer()
	for b.Loop() {
		if code, _ := s.get(path); code != 200 {
			b.Fatal(code)
		}
	}
}

func BenchmarkTodayWith5000Modules(b *testing.B)  { benchPage(b, "/") }
func BenchmarkModuleWith5000Modules(b *testing.B) { benchPage(b, "/modules/K-108") }

// In the grid of a lot a reading that cannot be right is asked about before it is kept, and a row begun is not kept.
func TestTheGridAsksBeforeItKeeps(t *testing.T) {
	s := newSite(t, true)
	v := url.Values{"number": {"K-125", "K-127"}, "by": {"AK"}}
	for g := 1; g <= 7; g++ {
		v.Set(fmt.Sprintf("v0-%d", g), "3,781")
	}
	v.Set("v0-4", "3781")
	w := s.form("/lots/2/survey", "/lots/2/survey", v)
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "Read again?") {
		t.Fatalf("3781 V: %d", w.Code)
	}
	v.Set("v0-4", "3,781")
	v.Set("v1-1", "3,78")
	if w = s.form("/lots/2/survey", "/lots/2/survey", v); w.Code != http.StatusUnprocessableEntity ||
		!strings.Contains(w.Body.String(), "missing") {
		t.Fatalf("a row begun: %d", w.Code)
	}
	v.Del("v1-1")
	if w = s.form("/lots/2/survey", "/lots/2/survey", v); w.Code != http.StatusSeeOther {
		t.Fatalf("%d", w.Code)
	}
	if _, body := s.get("/modules/K-125"); !strings.Contains(body, "Its groups agree") {
		t.Error("K-125 has no survey")
	}
}

// Several logs at once go to the modules whose numbers stand in their names, and to no other.
func TestLogsOfALotAreToldByTheirNames(t *testing.T) {
	s := newSite(t, true)
	_, page := s.get("/lots/2/results")
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	_ = m.WriteField("token", "logs-of-a-lot")
	_ = m.WriteField("by", "AK")
	for _, name := range []string{"K-12.csv", "2026_k-125_run.csv", "nothing.csv"} {
		f, _ := m.CreateFormFile("logs", name)
		_, _ = f.Write([]byte("time_s,voltage_v,current_a\n0,25,1\n"))
	}
	_ = m.Close()
	r := httptest.NewRequest(http.MethodPost, "/lots/2/logs", &b)
	r.Header.Set("Content-Type", m.FormDataContentType())
	r.Header.Set("X-CSRF-Token", csrfField.FindStringSubmatch(page)[1])
	w := s.do(r)
	body := w.Body.String()
	if w.Code != http.StatusOK || strings.Count(body, "no label number of this lot") != 2 ||
		!strings.Contains(body, "/modules/K-125/test") {
		t.Errorf("%d: %s", w.Code, saysOf(body))
	}
}
