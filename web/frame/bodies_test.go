package frame

import (
	"bytes"
	"errors"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/shop"
	"pandrel/store"
	"pandrel/web/door"
)

// upload is a form with a file; before is what stands ahead of the file, after what stands behind it.
func upload(t *testing.T, before, after map[string]string, size int) (body []byte, kind string) {
	t.Helper()
	var b bytes.Buffer
	m := multipart.NewWriter(&b)
	fields := func(v map[string]string) {
		for k, x := range v {
			_ = m.WriteField(k, x)
		}
	}
	fields(before)
	w, err := m.CreateFormFile("file", "a.csv")
	if err != nil {
		t.Fatal(err)
	}
	_, _ = w.Write(make([]byte, size))
	fields(after)
	_ = m.Close()
	return b.Bytes(), m.FormDataContentType()
}

// slow gives a byte or two at a time and counts what was taken.
type slow struct {
	io.Reader
	step  int
	taken int
}

func (s *slow) Read(p []byte) (int, error) {
	n, err := s.Reader.Read(p[:min(len(p), s.step)])
	s.taken += n
	return n, err
}

// A form without the guard of its browser is refused before its file is read, however it comes in and whatever stands
// ahead of the file.
func TestNothingIsReadWithoutTheGuard(t *testing.T) {
	const guard = "guard-of-this-browser"
	long := strings.Repeat("x", 40_000)
	for _, c := range []struct {
		name          string
		before, after map[string]string
		cookie, head  string
		passes        bool
		site          string // where its browser says it comes from
	}{
		{"as a page sends it", map[string]string{guardField: guard}, nil, guard, "", true, ""},
		{"behind a long note", map[string]string{"note": long, guardField: guard}, nil, guard, "", true, ""},
		{"in the head", nil, nil, guard, guard, true, ""},
		{"none", nil, nil, guard, "", false, ""},
		{"none, and no cookie", nil, nil, "", "", false, ""},
		{"an empty one, and no cookie", map[string]string{guardField: ""}, nil, "", "", false, ""},
		{"another's", map[string]string{guardField: "guess"}, nil, guard, "", false, ""},
		{"no cookie", map[string]string{guardField: guard}, nil, "", "", false, ""},
		{"behind the file", nil, map[string]string{guardField: guard}, guard, "", false, ""},
		{"by the word of its browser", nil, nil, "", "", true, "same-origin"},
		{"of another site, by the word of its browser", map[string]string{guardField: guard}, nil, guard, guard, false,
			"cross-site"},
		{"of a sister site", map[string]string{guardField: guard}, nil, guard, guard, false, "same-site"},
		{"behind more than a page has", map[string]string{"note": long + long}, nil, guard, "", false, ""},
	} {
		for _, step := range []int{1, 7, 1 << 16} {
			t.Run(c.name, func(t *testing.T) {
				size := min(4<<20, 100_000*step)
				body, kind := upload(t, c.before, c.after, size)
				src := &slow{Reader: bytes.NewReader(body), step: step}
				r := httptest.NewRequest(http.MethodPost, "/", src)
				r.Header.Set("Content-Type", kind)
				if c.site != "" {
					r.Header.Set("Sec-Fetch-Site", c.site)
				}
				if c.head != "" {
					r.Header.Set(guardHeader, c.head)
				}
				if c.cookie != "" {
					r.AddCookie(&http.Cookie{Name: guardCookie, Value: c.cookie})
				}
				_, boundary, _ := strings.Cut(kind, "boundary=")
				err := guarded(r, boundary)
				if (err == nil) != c.passes {
					t.Fatalf("%v: expected that it passes: %v", err, c.passes)
				}
				if src.taken > guardWithin+1<<10 {
					t.Errorf("%d bytes were read", src.taken)
				}
				if err != nil {
					return
				}
				perr := r.ParseMultipartForm(1 << 20)
				if perr != nil || r.MultipartForm.File["file"][0].Size != int64(size) {
					t.Errorf("the form is not whole afterwards: %v", perr)
				}
				_ = r.MultipartForm.RemoveAll()
			})
		}
	}
}

// What all who send at once have sent is bounded, and given back when they are done.
func TestWhatIsUnderWayIsBounded(t *testing.T) {
	for _, c := range []struct {
		name, kind, cookie string
		body               []byte
		fill               func(sv *Frame) *atomic.Int64
		most               int64
	}{
		{"forms", "application/x-www-form-urlencoded", "", []byte("a=" + strings.Repeat("b", 1000)),
			func(sv *Frame) *atomic.Int64 { return &sv.forms }, maxForms},
		{"files", "", "guard", nil, func(sv *Frame) *atomic.Int64 { return &sv.spooled }, maxSpooled},
	} {
		t.Run(c.name, func(t *testing.T) {
			sv := &Frame{work: door.NewWork()}
			if c.kind == "" {
				c.body, c.kind = upload(t, map[string]string{guardField: "guard"}, nil, 5000)
			}
			send := func() error {
				r := httptest.NewRequest(http.MethodPost, "/", bytes.NewReader(c.body))
				r.Header.Set("Content-Type", c.kind)
				r.AddCookie(&http.Cookie{Name: guardCookie, Value: "guard"})
				e := echo.New()
				return sv.readBody(func(*echo.Context) error { return nil })(e.NewContext(r, httptest.NewRecorder()))
			}
			if err := send(); err != nil {
				t.Fatal(err)
			}
			all := c.fill(sv)
			if n := all.Load(); n != 0 {
				t.Errorf("%d bytes are counted after it is done", n)
			}
			all.Store(c.most - 100)
			if err := send(); !errors.Is(err, errFull) {
				t.Errorf("%v: expected that it is told to come again", err)
			}
			if n := all.Load(); n != c.most-100 {
				t.Errorf("%d bytes are counted: expected %d", n, c.most-100)
			}
		})
	}
}

// A form is taken from the address that it asks, whatever stands before the program, and from no other.
func TestAFormComesFromItsOwnAddress(t *testing.T) {
	for _, c := range []struct {
		origin, host string
		passes       bool
	}{
		{"", "127.0.0.1:8460", true}, {"http://127.0.0.1:8460", "127.0.0.1:8460", true},
		{"https://bench.local", "bench.local", true}, {"https://bench.local", "bench.local:443", true},
		{"http://Bench.Local", "bench.local:80", true}, {"http://[::1]:8460", "[::1]:8460", true},
		{"http://127.0.0.1:8461", "127.0.0.1:8460", false}, {"http://localhost:8460", "127.0.0.1:8460", false},
		{"http://elsewhere.example", "bench.local", false}, {"null", "bench.local", false},
		{"https://bench.local", "bench.local:80", false}, {"file://", "bench.local", false},
		{"http://bench.local.example", "bench.local", false}, {"data:bench.local", "bench.local", false},
	} {
		t.Run(c.origin+" to "+c.host, func(t *testing.T) {
			for method, passes := range map[string]bool{http.MethodPost: c.passes, http.MethodGet: true} {
				r := httptest.NewRequest(method, "/", nil)
				r.Host = c.host
				if c.origin != "" {
					r.Header.Set("Origin", c.origin)
				}
				err := door.OwnOrigin(func(*echo.Context) error { return nil })(echo.New().NewContext(r,
					httptest.NewRecorder()))
				if (err == nil) != passes {
					t.Errorf("%s: %v", method, err)
				}
			}
		})
	}
}

// A page answers for everything that it did not look at, and for nothing else.
func TestAPageIsKeptForWhatItLookedAt(t *testing.T) {
	sv := &Frame{Shop: shop.New(&store.Store{}, func() time.Time { return time.Time{} })}
	made := 0
	page := func(c *echo.Context) error {
		made++
		text := "page " + Query(c, "page")
		if Query(c, "page") == "2" {
			text += " of " + Query(c, "kind") + " by " + Cookie(c, "who")
		}
		return c.HTML(http.StatusOK, text)
	}
	e := echo.New()
	e.GET("/list", page, sv.keepPages)
	ask := func(query, cookie string) string {
		r := httptest.NewRequest(http.MethodGet, "/list?"+query, nil)
		r.Header.Set("Cookie", cookie)
		w := httptest.NewRecorder()
		e.ServeHTTP(w, r)
		return w.Body.String()
	}
	for i, c := range []struct {
		query, cookie, want string
		made                int
	}{
		{"", "", "page ", 1}, {"x=1", "", "page ", 1}, {"x=2&y=3", "other=7", "page ", 1},
		{"page=2&kind=a", "who=K", "page 2 of a by K", 2}, {"page=2&kind=a&x=1", "who=K; z=1", "page 2 of a by K", 2},
		{"page=2&kind=b", "who=K", "page 2 of b by K", 3}, {"page=2&kind=b", "who=L", "page 2 of b by L", 4},
		{"page=2&page=3&kind=b", "who=L", "page 2 of b by L", 5},
	} {
		if got := ask(c.query, c.cookie); got != c.want || made != c.made {
			t.Errorf("%d: %q with %q: %q, made %d times: expected %q, %d", i, c.query, c.cookie, got, made, c.want,
				c.made)
		}
	}
	if v := (url.Values{"x": {"1"}}); ask(v.Encode(), "") != "page " {
		t.Error("lost")
	}
}
