package web_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"fmt"
	"html"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/httptest"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"pandrel/exchange"
	"pandrel/shop"
	"pandrel/store"
	"pandrel/web"
	"pandrel/web/door"
	"pandrel/web/frame"
)

var inputNames = regexp.MustCompile(`<(?:input|textarea|select)[^>]* name="([^"]+)"`)

func TestWhatIsRefusedCarriesTheHeadersToo(t *testing.T) {
	s := newSite(t, false)
	r := httptest.NewRequest(http.MethodGet, "/", nil)
	r.Host = "evil.example"
	for name, w := range map[string]*httptest.ResponseRecorder{"another host": s.do(r),
		"no such page": s.do(httptest.NewRequest(http.MethodGet, "/none", nil)),
		"a file":       s.do(httptest.NewRequest(http.MethodGet, "/static/app.js", nil))} {
		t.Run(name, func(t *testing.T) {
			for _, h := range []string{"Content-Security-Policy", "X-Content-Type-Options", "Referrer-Policy"} {
				if w.Header().Get(h) == "" {
					t.Errorf("%d without %s", w.Code, h)
				}
			}
		})
	}
}

func TestPlacesBeyondLoopbackNeedNames(t *testing.T) {
	for _, c := range []struct {
		name string
		at   door.Place
		says string // "" where it may be served
	}{
		{"loopback", door.Place{Listen: "127.0.0.1:8460"}, ""},
		{"loopback of the newer kind", door.Place{Listen: "[::1]:8460"}, ""},
		{"every address", door.Place{Listen: "0.0.0.0:8460"}, "--host"},
		{"every address, shorter", door.Place{Listen: ":8460"}, "--host"},
		{"one address of the network", door.Place{Listen: "192.0.2.7:8460"}, "--host"},
		{"with names", door.Place{Listen: ":8460", Names: []string{"bench.local", "192.0.2.7", "2001:db8::7"}}, ""},
		{"a name with a port", door.Place{Listen: ":8460", Names: []string{"bench.local:8460"}}, "alone"},
		{"any name", door.Place{Listen: ":8460", Names: []string{"*"}}, "alone"},
		{"no port", door.Place{Listen: "127.0.0.1"}, "expected"},
	} {
		t.Run(c.name, func(t *testing.T) {
			err := c.at.Check()
			if (err == nil) != (c.says == "") || err != nil && !strings.Contains(err.Error(), c.says) {
				t.Errorf("%v: expected %q", err, c.says)
			}
		})
	}
	for want, at := range map[string]door.Place{"http://127.0.0.1:8460": {Listen: "127.0.0.1:8460"},
		"http://bench.local:8460 http://[2001:db8::7]:8460": {Listen: ":8460", Names: []string{"bench.local",
			"2001:db8::7"}}} {
		if got := strings.Join(at.Addresses(), " "); got != want {
			t.Errorf("it says %s: expected %s", got, want)
		}
	}
	h, err := web.New(newSite(t, false).shop, door.Place{Listen: "0.0.0.0:8460", Names: []string{"Bench.local"}},
		slog.New(slog.DiscardHandler))
	if err != nil {
		t.Fatal(err)
	}
	for host, want := range map[string]int{"bench.local:8460": 200, "BENCH.LOCAL:8460": 200, "127.0.0.1:8460": 200,
		"other.local:8460": 421, "0.0.0.0:8460": 421, "192.0.2.9": 421, "": 421} {
		t.Run(host, func(t *testing.T) {
			r := httptest.NewRequest(http.MethodGet, "/", nil)
			r.Host = host
			w := httptest.NewRecorder()
			h.ServeHTTP(w, r)
			if w.Code != want {
				t.Errorf("%d: expected %d", w.Code, want)
			}
			if want == 200 && !strings.Contains(w.Body.String(), door.OpenToAll) {
				t.Error("the page does not say that anyone can change everything")
			}
		})
	}
}

func TestFilesThatShipAreKeptForEverUnderTheirDigest(t *testing.T) {
	s := newSite(t, false)
	_, page := s.get("/")
	for _, m := range linked.FindAllStringSubmatch(page, -1) {
		w := s.do(httptest.NewRequest(http.MethodGet, m[1], nil))
		if w.Code != 200 || !strings.Contains(w.Header().Get("Cache-Control"), "immutable") ||
			w.Header().Get("Set-Cookie") != "" || !version.MatchString(m[1]) {
			t.Errorf("%s: %d, %v", m[1], w.Code, w.Header())
		}
		again := httptest.NewRequest(http.MethodGet, m[1], nil)
		again.Header.Set("If-None-Match", w.Header().Get("ETag"))
		if got := s.do(again).Code; got != http.StatusNotModified {
			t.Errorf("%s again: %d", m[1], got)
		}
	}
	for path, code := range map[string]int{"/static/v000000000000/app.js": 200, "/static/app.js": 200,
		"/static/v000000000000/none.js": 404, "/static/../store/store.go": 404, "/static/": 404} {
		w := s.do(httptest.NewRequest(http.MethodGet, path, nil))
		if w.Code != code || strings.Contains(w.Header().Get("Cache-Control"), "immutable") {
			t.Errorf("%s: %d, %s", path, w.Code, w.Header().Get("Cache-Control"))
		}
	}
}

func TestHeadIsAnswered(t *testing.T) {
	s := newSite(t, true)
	for path, want := range map[string]int{"/": 200, "/modules/K-001": 200, "/static/app.js": 200, "/nowhere": 404} {
		if w := s.do(httptest.NewRequest(http.MethodHead, path, nil)); w.Code != want || want == 200 &&
			w.Body.Len() > 0 {
			t.Errorf("%s: %d with %d bytes", path, w.Code, w.Body.Len())
		}
	}
}

func TestADamagedFormIsTheSendersFault(t *testing.T) {
	s := newSite(t, true)
	s.get("/")
	for name, c := range map[string]struct{ kind, body string }{
		"no boundary": {"multipart/form-data", "x"},
		"a boundary that ends": {"multipart/form-data; boundary=b", "--b\r\nContent-Disposition: form-data; " +
			"name=\"x\"\r\n\r\nhalf"},
		"nothing inside":  {"multipart/form-data; boundary=b", ""},
		"a bad escape":    {"application/x-www-form-urlencoded", "a=%zz"},
		"a broken header": {"multipart/form-data; boundary=b", "--b\r\nnonsense\r\n\r\n--b--"},
	} {
		t.Run(name, func(t *testing.T) {
			r := httptest.NewRequest(http.MethodPost, "/modules/K-001/pictures", strings.NewReader(c.body))
			r.Header.Set("Content-Type", c.kind)
			w := s.do(r)
			if w.Code != http.StatusBadRequest || !strings.Contains(w.Body.String(), "not accepted") {
				t.Errorf("%d: expected 400, with a page that says so", w.Code)
			}
		})
	}
}

// Numbers that no meter shows, in every field of every form that a module has, never end in a failure of the program.
func TestImpossibleNumbersAreAnswered(t *testing.T) {
	s := newSite(t, true)
	for _, number := range []string{"1e308", "-1e308", "1e-308", "1e13", "9" + strings.Repeat("9", 300), "NaN", "Inf",
		"0x1p1023", "-0", "1e400"} {
		for _, f := range []struct{ page, action string }{
			{"/modules/K-020/survey", "/modules/K-020/survey"}, {"/modules/K-020/survey", "/modules/K-020/survey/try"},
			{"/modules/K-110/test", "/modules/K-110/hand"}, {"/modules/K-013/isolation", "/modules/K-013/isolation"},
			{"/modules/K-202/map", "/modules/K-202/map/try"}, {"/types/2", "/types/2"}, {"/station/receive", "/lots"},
			{"/station/design", "/banks"},
		} {
			_, page := s.get(f.page)
			v := url.Values{}
			for _, m := range inputNames.FindAllStringSubmatch(page, -1) {
				if m[1] != "_csrf" && m[1] != "token" {
					v.Set(m[1], number)
				}
			}
			v.Set("readings", "P1 P0 "+number+"\nP2 P1 "+number)
			if w := s.form(f.page, f.action, v); w.Code >= 500 {
				t.Errorf("%s in %s: %d", number, f.action, w.Code)
			}
		}
	}
}

func TestLabelsOfAnySignsAreFound(t *testing.T) {
	s := newSite(t, true)
	for i, first := range []string{"K+1", "K&2", "Ä-3", "K;4", "K=5", "(6)", "K@7", "K:8", "K'9", "K~10", "K,11",
		"電12"} {
		w := s.form("/lots/1", "/lots/1/modules", url.Values{"type": {"2"}, "first": {first}, "count": {"1"},
			"by": {"AK"}})
		if w.Code != http.StatusSeeOther {
			t.Fatalf("%d %s: %d", i, first, w.Code)
		}
		for _, path := range []string{"/m/" + url.PathEscape(first), "/search?q=" + url.QueryEscape(first),
			"/search?q=" + url.QueryEscape("http://127.0.0.1:8460/m/"+url.PathEscape(first))} {
			w := s.do(httptest.NewRequest(http.MethodGet, path, nil))
			to := w.Header().Get("Location")
			if w.Code != http.StatusSeeOther {
				t.Errorf("%s by %s: %d", first, path, w.Code)
				continue
			}
			if code, body := s.get(to); code != 200 || !strings.Contains(body, "<h1>") {
				t.Errorf("%s by %s leads to %s: %d", first, path, to, code)
			}
		}
		page := frame.ModulePath(first)
		if code, body := s.get(page); code != 200 || !strings.Contains(html.UnescapeString(body),
			`href="`+page+`/inspect"`) {
			t.Errorf("%s: its page does not link to its parts: %d", first, code)
		}
	}
}

func TestTextsAreBoundedAndClean(t *testing.T) {
	s := newSite(t, true)
	long := strings.Repeat("long ", 2000)
	w := s.form("/station/receive", "/lots", url.Values{"supplier": {"x"}, "arrived_on": {"2026-11-20"},
		"note": {long}})
	if w.Code != http.StatusUnprocessableEntity || !strings.Contains(w.Body.String(), "expected at most 4000") ||
		!strings.Contains(w.Body.String(), "long long") {
		t.Errorf("a note of 10 000 letters: %d", w.Code)
	}
	w = s.form("/station/receive", "/lots", url.Values{"supplier": {"De\x00pot\u202e\x1b[31m \xff"},
		"arrived_on": {"2026-11-20"}})
	if w.Code != http.StatusSeeOther {
		t.Fatalf("%d", w.Code)
	}
	var lot store.Lot
	s.st.DB.Last(&lot)
	if lot.Supplier != "Depot[31m \uFFFD" {
		t.Errorf("kept as %q", lot.Supplier)
	}
}

// What a spreadsheet would run leaves as text, and comes back as it was.
func TestNoFormulaLeavesAndNothingIsLost(t *testing.T) {
	s := newSite(t, true)
	names := []string{"=HYPERLINK(1)", "+1+1", "-2+3", "@SUM(A1)"}
	for i, n := range names {
		s.st.DB.Exec("UPDATE module_types SET name = ? WHERE id = ?", n, i+1)
		s.st.DB.Exec("UPDATE modules SET type_id = ?, lot_id = 1 WHERE id = ?", i+1, i+1)
	}
	_, text := s.get("/lots/1/export?as=csv")
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll() // every line has as many fields as the first
	if err != nil || len(rows) < 5 {
		t.Fatalf("%v in %.200s", err, text)
	}
	for _, row := range rows {
		for _, field := range row {
			if field != "" && strings.ContainsRune("=+-@\t\r", rune(field[0])) && strings.ContainsAny(field, "(+@") {
				t.Errorf("%q starts a formula", field)
			}
		}
	}
	_, sheet := s.get("/lots/1/export?as=xlsx")
	for kind, data := range map[string]string{"csv": text, "xlsx": sheet} {
		g, err := exchange.ReadGrid(t.Context(), []byte(data))
		if err != nil {
			t.Fatal(kind, err)
		}
		all := fmt.Sprint(g.Rows)
		for _, n := range names {
			if !strings.Contains(all, n) || strings.Contains(all, "'"+n) {
				t.Errorf("%s did not come back from %s as it was", n, kind)
			}
		}
	}
}

// served runs a handler as the program does, and returns its address.
func served(t *testing.T, h http.Handler) (address string, stop func() error) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	done := make(chan error, 1)
	go func() { done <- door.Serve(ctx, l, h) }()
	return l.Addr().String(), func() error { cancel(); return <-done }
}

// Clients that stall neither keep others out nor keep the program from ending.
func TestStalledClientsHarmNobody(t *testing.T) {
	st, err := store.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	h, err := web.New(shop.New(st, nil), door.Place{Listen: "127.0.0.1:0"},
		slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		t.Fatal(err)
	}
	address, stop := served(t, h)
	for i := range 300 {
		conn, err := net.Dial("tcp", address)
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
		head := "POST /lots HTTP/1.1\r\nHost: " + address + "\r\nContent-Length: 500\r\n" +
			"Content-Type: application/x-www-form-urlencoded\r\n"
		if i%2 == 0 {
			head += "\r\nsupplier="
		}
		fmt.Fprint(conn, head)
	}
	for range 20 {
		r, err := http.Get("http://" + address + "/")
		if err != nil || r.StatusCode != 200 {
			t.Fatalf("others are kept out: %v", err)
		}
		_ = r.Body.Close()
	}
	begin := time.Now()
	if err := stop(); err != nil {
		t.Errorf("ended with %v: expected a clean end", err)
	}
	if took := time.Since(begin); took > 20*time.Second { // far above the 5 s that are meant, for slow machines
		t.Errorf("ending took %v", took)
	}
}

// Large answers and uploads pass through the pacing whole.
func TestPacedRequestsAreWhole(t *testing.T) {
	big := bytes.Repeat([]byte("0123456789abcdef"), 1<<17)
	address, stop := served(t, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		got, err := io.ReadAll(r.Body)
		if err != nil || !bytes.Equal(got, big) {
			t.Errorf("%d bytes arrived, %v", len(got), err)
		}
		_, _ = w.Write(big)
	}))
	r, err := http.Post("http://"+address+"/", "application/octet-stream", bytes.NewReader(big))
	if err != nil {
		t.Fatal(err)
	}
	back, err := io.ReadAll(r.Body)
	if err != nil || !bytes.Equal(back, big) {
		t.Errorf("%d bytes came back, %v", len(back), err)
	}
	if err := stop(); err != nil {
		t.Error(err)
	}
}
