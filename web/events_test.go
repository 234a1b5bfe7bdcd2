package web_test

import (
	"bufio"
	"context"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"
)

// A page that watches running tests hears at once what there is, line by line and not packed, and is let go when it
// leaves.
func TestEventsAreToldAtOnce(t *testing.T) {
	sv := newSite(t, true)
	srv := httptest.NewServer(sv.h)
	defer srv.Close()
	ctx, leave := context.WithTimeout(context.Background(), 20*time.Second)
	defer leave()
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, srv.URL+"/tests/events", nil)
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
	if res.StatusCode != http.StatusOK || !strings.HasPrefix(res.Header.Get("Content-Type"), "text/event-stream") ||
		res.Header.Get("Content-Encoding") != "" || res.Header.Get("Cache-Control") != "no-store" {
		t.Fatalf("%d %v", res.StatusCode, res.Header)
	}
	line, err := bufio.NewReader(res.Body).ReadString('\n')
	if err != nil || !strings.HasPrefix(line, "data: [") {
		t.Errorf("%q, %v", line, err)
	}
}
