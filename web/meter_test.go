package web_test

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"pandrel/instrument"
)

type heard struct {
	State, Shows, Says string
	Same               bool
}

// listen follows the meter at an address until the stream ends, or until it was heard enough.
func listen(t *testing.T, srv *httptest.Server, query string, enough ...int) (code int, all []heard) {
	t.Helper()
	ctx, leave := context.WithTimeout(t.Context(), 30*time.Second)
	defer leave()
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, srv.URL+"/meter/events?"+query, nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Host = "127.0.0.1:8460"
	r.Header.Set("Accept-Encoding", "gzip, br")
	res, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer res.Body.Close()
	in := bufio.NewScanner(res.Body)
	for in.Scan() {
		data, ok := strings.CutPrefix(in.Text(), "data: ")
		if !ok {
			continue
		}
		var h heard
		if err := json.Unmarshal([]byte(data), &h); err != nil {
			t.Fatal(err)
		}
		if all = append(all, h); len(enough) > 0 && len(all) == enough[0] {
			break
		}
	}
	return res.StatusCode, all
}

// A page that watches the meter hears the probes lifted before anything is taken, and what was taken is what the points
// have.
func TestAPageWatchesTheMeter(t *testing.T) {
	sv := newSite(t, true)
	srv := httptest.NewServer(sv.h)
	defer srv.Close()
	if _, all := listen(t, srv, "module=K-125&red=X3&black=A-"); len(all) != 1 || all[0].State != "trouble" ||
		!strings.Contains(all[0].Says, "no bench meter is set up") {
		t.Errorf("without a meter: %v", all)
	}
	m, err := instrument.StartMeter("127.0.0.1:0", 1, func(module, red, black string) (float64, bool) {
		return map[string]float64{"X3": 3.712, "X4": 0.0004}[red], module == "K-125" && black == "A-"
	})
	if err != nil {
		t.Fatal(err)
	}
	defer m.Stop()
	sv.shop.MeterAddress = m.Address

	_, all := listen(t, srv, "module=K-125&red=X3&black=A-&before=3,713")
	last := all[len(all)-1]
	air := slices.IndexFunc(all, func(h heard) bool { return h.State == "ready" })
	on := slices.IndexFunc(all, func(h heard) bool { return h.State == "settling" })
	if air != 0 || on < air || last.State != "taken" || !strings.HasPrefix(last.Shows, "3.71") || !last.Same {
		t.Errorf("%+v", all)
	}
	if _, all := listen(t, srv, "joint=5&before=4.1"); all[len(all)-1] != (heard{"taken", "12.30", "", false}) {
		t.Errorf("a joint: %+v", all)
	}
	for _, c := range []struct{ query, says string }{
		{"module=K-125&red=X9&black=A+", "cannot touch"},
		{"module=K-125&red=X3&black=X3", "two different points"},
		{"joint=x", "expected its number"},
		{"bank=1&bms=none&lead=1", "no sense table"},
		{"bank=1&bms=B1&lead=99", "expected one of this BMS"},
	} {
		t.Run(c.query, func(t *testing.T) {
			if _, all := listen(t, srv, c.query); len(all) != 1 || all[0].State != "trouble" ||
				!strings.Contains(all[0].Says, c.says) {
				t.Errorf("%+v, want %q", all, c.says)
			}
		})
	}
	for _, query := range []string{"module=K-999&red=X3&black=A-", "bank=999&bms=B1&lead=1"} {
		if code, all := listen(t, srv, query); code != http.StatusNotFound || len(all) > 0 {
			t.Errorf("%s: %d, %v", query, code, all)
		}
	}
}

// The meter belongs to whoever asked last: the page before is told, and is not left waiting.
func TestTheMeterChangesHands(t *testing.T) {
	sv := newSite(t, true)
	srv := httptest.NewServer(sv.h)
	defer srv.Close()
	m, err := instrument.StartMeter("127.0.0.1:0", 1, func(_, red, _ string) (float64, bool) {
		return map[string]float64{"X3": 3.712}[red], true // the others read nothing, for ever
	})
	if err != nil {
		t.Fatal(err)
	}
	defer m.Stop()
	sv.shop.MeterAddress = m.Address
	first := make(chan []heard)
	go func() {
		_, all := listen(t, srv, "module=K-125&red=X4&black=A-")
		first <- all
	}()
	time.Sleep(300 * time.Millisecond)
	_, all := listen(t, srv, "module=K-125&red=X3&black=A-")
	if all[len(all)-1].State != "taken" {
		t.Errorf("%+v", all)
	}
	old := <-first
	if last := old[len(old)-1]; last.State != "elsewhere" {
		t.Errorf("the page before: %+v", last)
	}
	// What reads as nothing is never taken, however long it lasts.
	for _, h := range old {
		if h.State == "taken" {
			t.Errorf("nothing was taken for a reading: %+v", old)
		}
	}
}

// Many meters take one connection at a time: whoever comes next does not knock while the one before is still talked to.
func TestAMeterOfOneConnection(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	var busy atomic.Bool
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			if !busy.CompareAndSwap(false, true) {
				conn.Close()
				continue
			}
			go func() {
				defer busy.Store(false)
				defer conn.Close()
				for n, in := 0, bufio.NewScanner(conn); in.Scan(); n++ {
					fmt.Fprintln(conn, []string{"0.001", "3.712"}[min(n/3, 1)])
				}
			}()
		}
	}()
	sv := newSite(t, true)
	srv := httptest.NewServer(sv.h)
	defer srv.Close()
	sv.shop.MeterAddress = l.Addr().String()
	for range 3 { // left in the middle each time, as by a hand that goes to another field
		if _, all := listen(t, srv, "module=K-125&red=X3&black=A-", 2); len(all) != 2 || all[1].State == "trouble" {
			t.Errorf("%+v", all)
		}
	}
	if _, all := listen(t, srv, "module=K-125&red=X3&black=A-"); all[len(all)-1].State != "taken" {
		t.Errorf("%+v", all)
	}
	if _, err := sv.shop.Measure.ReadMeter(t.Context(), "K-125", "X3", "A-"); err != nil {
		t.Error(err)
	}
}

// Whatever stands in a field is no reading that could be confirmed.
func TestOnlyANumberIsConfirmed(t *testing.T) {
	sv := newSite(t, true)
	srv := httptest.NewServer(sv.h)
	defer srv.Close()
	m, err := instrument.StartMeter("127.0.0.1:0", 1, func(_, _, _ string) (float64, bool) { return 3.212, true })
	if err != nil {
		t.Fatal(err)
	}
	defer m.Stop()
	sv.shop.MeterAddress = m.Address
	for before, same := range map[string]bool{"3,212": true, "3.9": false, "Inf": false, "NaN": false, "0x3": false,
		"1e300": false, "": false} {
		_, all := listen(t, srv, "module=K-125&red=X3&black=A-&before="+before)
		if last := all[len(all)-1]; last.State != "taken" || last.Same != same {
			t.Errorf("before %q: %+v", before, last)
		}
	}
}

// A meter that shows volts in the air, or still those of before, is told what it must fall to; nothing is taken of it.
func TestAMeterThatNeverFalls(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	go func() {
		conn, err := l.Accept()
		if err != nil {
			return
		}
		defer conn.Close()
		for in := bufio.NewScanner(conn); in.Scan(); {
			fmt.Fprintln(conn, "3.712")
		}
	}()
	sv := newSite(t, true)
	srv := httptest.NewServer(sv.h)
	defer srv.Close()
	sv.shop.MeterAddress = l.Addr().String()
	_, all := listen(t, srv, "module=K-125&red=X3&black=A-", 12)
	for _, h := range all {
		if h.State != "lift" || !strings.Contains(h.Says, "below 0.1 V in the air") {
			t.Errorf("%+v", h)
		}
	}
	if len(all) != 12 {
		t.Errorf("heard %d", len(all))
	}
}
