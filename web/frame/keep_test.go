package frame

import (
	"context"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/labstack/echo/v5"
	"gorm.io/gorm"

	"pandrel/shop"
	"pandrel/store"
)

func TestWhatIsSplitComesTogether(t *testing.T) {
	page := `<input name="_csrf" value="guard-of-a"><input name="token" value="0123456789abcdef01234567">` +
		`<input name="token" value="aaaaaaaaaaaaaaaaaaaaaaaa"><a data-t="0123456789abcdef01234567">guard-of-a</a>`
	k := split([]byte(page), "guard-of-a")
	got := string(k.whole("guard-of-b"))
	if strings.Contains(got, "guard-of-a") || strings.Count(got, "guard-of-b") != 2 ||
		strings.Contains(got, "aaaaaaaa") {
		t.Error(got)
	}
	m := tokenOf.FindAllStringSubmatch(got, -1)
	if len(m) != 2 || m[0][1] == m[1][1] || strings.Count(got, m[0][1]) != 2 {
		t.Errorf("a token that stood twice must stay one: %s", got)
	}
	if again := string(k.whole("guard-of-b")); again == got {
		t.Error("the same tokens were given out twice")
	}
}

func TestKeptPagesAreBounded(t *testing.T) {
	var k drawer
	body := &keptBody{pieces: [][]byte{make([]byte, keptPage)}}
	for i := range 3 * keptAll / keptPage {
		k.put(7, strings.Repeat("x", i+1), body)
		if k.size > keptAll+keptPage {
			t.Fatalf("%d bytes are kept", k.size)
		}
	}
	if k.put(6, "old", body); k.find(6, "old") != nil || k.find(7, "old") != nil {
		t.Error("a page of older data was kept")
	}
	if k.put(8, "new", body); k.find(7, "x") != nil || k.find(8, "new") == nil {
		t.Error("pages of older data stayed")
	}
}

func TestWhatABrowserAccepts(t *testing.T) {
	for header, want := range map[string]bool{"br": true, "gzip, deflate, br": true, "gzip;q=1.0, br;q=0.5": true,
		"br;q=0": false, "br; q=0.0": false, "": false, "brotli": false, "*": false} {
		t.Run(header, func(t *testing.T) {
			if got := accepts(header, "br"); got != want {
				t.Errorf("%v", got)
			}
		})
	}
}

// A reading of a running test comes each second: it makes those pages anew that show readings, and no other. Whatever
// else is written down makes all of them anew.
func TestAReadingMakesOnlyAnewWhatShowsReadings(t *testing.T) {
	st, err := store.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	sv := &Frame{Shop: shop.New(st, func() time.Time { return time.Time{} })}
	made := map[string]int{}
	e := echo.New()
	page := func(name, query string) {
		e.GET("/"+name, func(c *echo.Context) error {
			made[name]++
			var n []int64
			if err := st.DB.WithContext(c.Request().Context()).Raw(query).Scan(&n).Error; err != nil {
				return err
			}
			return c.HTML(http.StatusOK, name)
		}, sv.keepPages)
	}
	page("steady", "SELECT id FROM lots")
	page("raw", "SELECT count(*) FROM test_readings")
	e.GET("/model", func(c *echo.Context) error {
		made["model"]++
		var rows []store.TestReading
		if err := st.DB.WithContext(c.Request().Context()).Find(&rows).Error; err != nil {
			return err
		}
		return c.HTML(http.StatusOK, "model")
	}, sv.keepPages)
	look := func(steady, live int) {
		t.Helper()
		for range 3 {
			for name, want := range map[string]int{"steady": steady, "raw": live, "model": live} {
				e.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest(http.MethodGet, "/"+name, nil))
				if made[name] != want {
					t.Errorf("%s was made %d times: expected %d", name, made[name], want)
				}
			}
		}
	}
	if err := st.DB.Exec("PRAGMA foreign_keys = OFF").Error; err != nil {
		t.Fatal(err)
	}
	look(1, 1)
	if err := st.Write(t.Context(), func(tx *gorm.DB) error {
		return tx.Create(&store.TestReading{TestID: 1, At: time.Now(), Cells: store.JSONOf([]float64{})}).Error
	}); err != nil {
		t.Fatal(err)
	}
	look(1, 2)
	if err := st.Write(t.Context(), func(tx *gorm.DB) error {
		return tx.Create(&store.Lot{Supplier: "A", CreatedAt: time.Now()}).Error
	}); err != nil {
		t.Fatal(err)
	}
	look(2, 3)
}

func TestWhoAsksForAPageInTheMakingIsGivenTheNextRun(t *testing.T) {
	m := &making{}
	under, first := m.join("today")
	if !first {
		t.Fatal("whoever comes first works it out")
	}
	if err := under.begin(t.Context()); err != nil {
		t.Fatal(err)
	}
	next, first := m.join("today") // the one under way may have read before something was saved
	if next == under || !first {
		t.Fatal("a run that has begun is no answer to who comes afterwards")
	}
	for range 100 {
		if r, first := m.join("today"); r != next || first {
			t.Fatal("all who wait share one run")
		}
	}
	if other, first := m.join("bench"); other == next || !first {
		t.Fatal("another page is another run")
	}
	began := make(chan error)
	go func() { began <- next.begin(t.Context()) }()
	select {
	case <-began:
		t.Fatal("the next run began beside the one under way")
	case <-time.After(10 * time.Millisecond):
	}
	under.end()
	if err := <-began; err != nil {
		t.Fatal(err)
	}
	page := &keptBody{}
	next.gives(page, "another key") // it looked at more than what they asked alike
	if next.page != nil {
		t.Error("a page was handed to who asked for something else")
	}
	next.gives(page, "today")
	next.end()
	next.end()
	if <-next.over; next.page != page {
		t.Error("those who wait are given the page")
	}
	if _, first := m.join("today"); !first {
		t.Error("after its end a page is made anew")
	}
}

func TestWhoGivesUpHoldsNobodyUp(t *testing.T) {
	m := &making{}
	under, _ := m.join("today")
	if err := under.begin(t.Context()); err != nil {
		t.Fatal(err)
	}
	next, _ := m.join("today")
	gone, leave := context.WithCancel(t.Context())
	leave()
	if err := next.begin(gone); err == nil {
		t.Error("a request that is over works nothing out")
	}
	if !next.left {
		t.Error("those who waited for it must ask again")
	}
	<-next.over
	under.end()
	for i := range sideBySide + 2 { // all at work: who comes then has waited and goes on
		r, _ := m.join(strings.Repeat("x", i+1))
		if err := r.begin(t.Context()); err != nil {
			t.Fatal(err)
		}
		defer r.end()
	}
	if len(m.slots) != sideBySide {
		t.Errorf("%d slots are held, expected %d", len(m.slots), sideBySide)
	}
}
