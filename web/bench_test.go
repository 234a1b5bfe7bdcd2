package web_test

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"pandrel/core/trainer/virtual"
	"pandrel/demo/sample"
	"pandrel/golden"
	"pandrel/instrument"
	"pandrel/shop"
	"pandrel/store"
	"pandrel/web"
	"pandrel/web/door"
)

// A test on the cycler and one by hand, from their modules' pages to their end, with what the pages say on the way.
func TestWhatTheBenchsPagesSay(t *testing.T) {
	ctx, at := context.Background(), now
	st := sample.Open(t, now)
	sh := shop.New(st, func() time.Time { return at })
	m, err := sh.Module(ctx, "K-110")
	if err != nil {
		t.Fatal(err)
	}
	var ty store.ModuleType
	if err := st.DB.Where("id = ?", m.TypeID).Take(&ty).Error; err != nil {
		t.Fatal(err)
	}
	lay, _, err := sh.Record.LayoutFor(ctx, m, ty)
	if err != nil {
		t.Fatal(err)
	}
	cells := virtual.New(rand.New(rand.NewPCG(5, 6)), "K-110", virtual.Spec{Chemistry: ty.Chemistry, Series: lay.Series,
		RatedAh: ty.RatedAh, SoH: 0.8, SoC: 0.6, SoCSpread: 0.002, ResistanceOhms: 0.002})
	cycler, err := instrument.StartCycler("127.0.0.1:0", 1, 2, 1, func(string) (virtual.Module, bool) {
		return cells,
			true
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = cycler.Stop() })
	cycler.SetClock(func() time.Time { return at })
	sh.CyclerAddress = cycler.Address
	h, err := web.New(sh, door.Place{Listen: "127.0.0.1:8460"}, slog.New(slog.NewTextHandler(io.Discard, nil)))
	if err != nil {
		t.Fatal(err)
	}
	s := &site{t, h, st, sh, map[string]string{}}
	var b strings.Builder
	look := func(path string) {
		w := s.do(httptest.NewRequest(http.MethodGet, path, nil))
		text, _ := says(w, path)
		fmt.Fprintf(&b, "## %s: %d\n%s\n", path, w.Code, text)
	}
	send := func(page, action string, v url.Values) (to string) {
		v.Set("by", "AB")
		w := s.form(page, action, v)
		fmt.Fprintf(&b, "## sent %s: %d %s\n", action, w.Code, w.Header().Get("Location"))
		for _, m := range messages(w.Body.String()) {
			b.WriteString(m + "\n")
		}
		return w.Header().Get("Location")
	}
	pass := func(d time.Duration) {
		for end := at.Add(d); at.Before(end); {
			at = at.Add(30 * time.Second)
			if err := sh.Tests.Tick(ctx); err != nil {
				t.Fatal(err)
			}
		}
	}
	send("/modules/K-110/test", "/modules/K-110/run", url.Values{"channel": {"99"}})
	run := send("/modules/K-110/test", "/modules/K-110/run", url.Values{"channel": {"1"}})
	pass(40 * time.Minute)
	look("/tests")
	look(run)
	send(run, run, url.Values{"what": {"pause"}})
	pass(2 * time.Minute)
	look(run)
	send(run, run, url.Values{"what": {"go"}})
	send(run, run, url.Values{"what": {"nonsense"}})
	pass(5 * time.Minute)
	look("/")
	look("/bench")
	look("/modules/K-110")
	send(run, run, url.Values{"what": {"stop"}})
	pass(time.Minute)
	look(run)
	look(run + "/so-far")
	look("/tests")
	hand := send("/modules/K-110/test", "/modules/K-110/byhand", url.Values{"full": {""}})
	look(hand)
	group := func(v float64) url.Values {
		out := url.Values{"volts": {fmt.Sprintf("%.3f", v*float64(lay.Series))}, "amps": {"10"}}
		for g := range lay.Series {
			out.Set(fmt.Sprintf("g%d", g+1), fmt.Sprintf("%.3f", v))
		}
		return out
	}
	for _, v := range []float64{3.9, 3.95, 4.05, 4.25} {
		send(hand, hand+"/reading", group(v))
		at = at.Add(15 * time.Minute)
		look(hand)
	}
	send(hand, hand+"/reading", url.Values{"volts": {"x"}, "amps": {""}})
	for _, what := range []string{"next", "nonsense", "stop"} {
		send(hand, hand, url.Values{"what": {what}})
	}
	look(hand)
	look("/modules/K-110/test")
	golden.Same(t, "bench-pages", b.String())
}
