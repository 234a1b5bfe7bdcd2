package door

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"testing"
	"time"
)

func crowded(t *testing.T, most int, h http.HandlerFunc) (address string, c *crowd) {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	c = newCrowd(l, most)
	srv := &http.Server{Handler: paced(h), ConnContext: withSeat}
	go func() { _ = srv.Serve(c) }()
	t.Cleanup(func() { _ = srv.Close() })
	return l.Addr().String(), c
}

func (c *crowd) sitting() int {
	c.lock.Lock()
	defer c.lock.Unlock()
	return len(c.seats)
}

// Whoever connects and does nothing takes no place from somebody who asks something; nor does whoever stops in the
// middle of a request.
func TestThoseWhoDoNothingShutNobodyOut(t *testing.T) {
	for _, c := range []struct{ name, says string }{
		{"nothing said", ""},
		{"half a head", "POST / HTTP/1.1\r\nHost: a\r\nX: "},
		{"half a body", "POST / HTTP/1.1\r\nHost: a\r\nContent-Length: 100\r\n\r\nhalf"},
		{"an answer that was asked for and is over", "GET / HTTP/1.1\r\nHost: a\r\n\r\n"},
	} {
		t.Run(c.name, func(t *testing.T) {
			const most = 8
			address, crowd := crowded(t, most, func(w http.ResponseWriter, r *http.Request) {
				_, _ = io.Copy(io.Discard, r.Body)
				_, _ = io.WriteString(w, "here")
			})
			for range 5 * most {
				conn, err := net.Dial("tcp", address)
				if err != nil {
					t.Fatal(err)
				}
				defer conn.Close()
				fmt.Fprint(conn, c.says)
			}
			for range 20 {
				client := &http.Client{Transport: &http.Transport{DisableKeepAlives: true}, Timeout: time.Minute}
				r, err := client.Get("http://" + address + "/")
				if err != nil {
					t.Fatalf("shut out: %v", err)
				}
				_ = r.Body.Close()
				if n := crowd.sitting(); n > most {
					t.Fatalf("%d are connected: expected at most %d", n, most)
				}
			}
		})
	}
}

// A request that is being worked for keeps its place, however many come.
func TestWorkKeepsItsPlace(t *testing.T) {
	begun, goOn := make(chan struct{}), make(chan struct{})
	address, _ := crowded(t, 2, func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/long" {
			close(begun)
			<-goOn
		}
		_, _ = io.WriteString(w, r.URL.Path)
	})
	answer := make(chan error, 1)
	go func() {
		r, err := http.Get("http://" + address + "/long")
		if err == nil {
			_ = r.Body.Close()
		}
		answer <- err
	}()
	<-begun
	for range 20 {
		conn, err := net.Dial("tcp", address)
		if err != nil {
			t.Fatal(err)
		}
		defer conn.Close()
	}
	r, err := (&http.Client{Timeout: time.Minute}).Get("http://" + address + "/short")
	if err != nil {
		t.Fatal(err)
	}
	_ = r.Body.Close()
	close(goOn)
	if err := <-answer; err != nil {
		t.Errorf("the one that was worked for: %v", err)
	}
}

// Small work does not wait behind large work, and who gave up waiting is not worked for.
func TestSmallWorkHasAShareOfItsOwn(t *testing.T) {
	w := NewWork()
	ctx, cancel := context.WithCancel(t.Context())
	first, err := w.lane(ctx, heavyAll)
	if err != nil {
		t.Fatal(err)
	}
	gone := make(chan error, 1)
	go func() { _, err := w.lane(ctx, heavyAll); gone <- err }()
	for range lightAll / lightWork {
		if _, err := w.lane(t.Context(), lightWork); err != nil { // would wait for ever behind the large one
			t.Fatal(err)
		}
	}
	cancel()
	if err := <-gone; !errors.Is(err, context.Canceled) {
		t.Errorf("%v: expected the one who left to be let go", err)
	}
	first()
	if done, err := w.lane(t.Context(), 10*heavyAll); err != nil { // more than there is counts as all
		t.Error(err)
	} else {
		done()
	}
}
