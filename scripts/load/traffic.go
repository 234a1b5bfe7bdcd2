package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
)

// slowest is how long the slowest of a hundred requests may take.
const slowest = 100 * time.Millisecond

// people is how many browsers share the traffic.
const people = 50

// traffic mixes pages and saves at a steady rate with 5 000 modules in the file, once alone and once with clients that
// stall; then fifty people save at once.
func traffic(ctx context.Context, e effort, dir string) error {
	full := filepath.Join(dir, "full")
	if err := errors.Join(os.Mkdir(full, 0o700), fill(ctx, full, 5000)); err != nil {
		return err
	}
	p, err := start(full)
	if err != nil {
		return err
	}
	defer p.kill()
	bs := make([]*browser, people)
	for i := range bs {
		bs[i] = p.browser()
		if _, _, err := bs[i].get(ctx, "/station/receive"); err != nil {
			return err
		}
	}
	failed := mixed(ctx, "traffic", bs, e, time.Duration(e.seconds)*time.Second)
	let, err := stall(p.url, e.stalled)
	if err != nil {
		return err
	}
	failed = errors.Join(failed, mixed(ctx, fmt.Sprintf("with %d stalled clients", e.stalled), bs, e, 8*time.Second))
	let()
	failed = errors.Join(failed, saveAtOnce(ctx, bs))
	peak, err := p.peak()
	fmt.Printf("traffic: peak of memory %d MiB\n", peak)
	return errors.Join(failed, err)
}

// pages are what is looked at, in turn.
var pages = []string{"/", "/modules/K-108", "/station/survey", "/banks/1", "/search?q=K-01", "/lots/2", "/types/2",
	"/modules/Z-00042", "/station/test", "/lots/1"}

// mixed sends e.rate requests a second for a while: nine pages, then a save.
func mixed(ctx context.Context, name string, bs []*browser, e effort, length time.Duration) error {
	var lock sync.Mutex
	var took []time.Duration
	slow := map[string]time.Duration{}
	var failed error
	var wg sync.WaitGroup
	tick := time.NewTicker(time.Second / time.Duration(e.rate))
	defer tick.Stop()
	n := int(length.Seconds()) * e.rate
	for i := range n {
		<-tick.C
		wg.Go(func() {
			b := bs[i%len(bs)]
			begin := time.Now()
			what, err := act(ctx, b, name, i)
			d := time.Since(begin)
			lock.Lock()
			defer lock.Unlock()
			took = append(took, d)
			slow[what] = max(slow[what], d)
			if err != nil && failed == nil {
				failed = fmt.Errorf("%s: %w", what, err)
			}
		})
	}
	wg.Wait()
	slices.Sort(took)
	p99 := took[len(took)*99/100]
	fmt.Printf("%s: %d requests at %d a second, half within %v, 99 of 100 within %v, slowest %v\n", name, n, e.rate,
		took[n/2].Round(time.Millisecond/10), p99.Round(time.Millisecond/10), took[n-1].Round(time.Millisecond))
	if p99 > slowest {
		failed = errors.Join(failed, fmt.Errorf("%s: 99 of 100 within %v, at most %v; slowest of each: %v", name, p99,
			slowest, slow))
	}
	return failed
}

// act looks at a page, or every tenth time saves a lot.
func act(ctx context.Context, b *browser, name string, i int) (what string, err error) {
	if i%10 == 9 {
		return "save", b.post(ctx, "/lots", fmt.Sprintf("load-%.4s-%d", name, i), url.Values{
			"supplier": {fmt.Sprintf("Load %s %d", name, i)}, "arrived_on": {"2026-11-20"}, "by": {"AK"}})
	}
	what = pages[i%len(pages)]
	code, _, err := b.get(ctx, what)
	if err == nil && code != 200 {
		err = fmt.Errorf("answered %d", code)
	}
	return what, err
}

// stall opens connections that send half a request and then nothing.
func stall(base string, n int) (let func(), err error) {
	host := strings.TrimPrefix(base, "http://")
	conns := make([]net.Conn, 0, n)
	let = func() {
		for _, c := range conns {
			_ = c.Close()
		}
	}
	for i := range n {
		c, err := net.Dial("tcp", host)
		if err != nil {
			let()
			return nil, err
		}
		conns = append(conns, c)
		head := "POST /lots HTTP/1.1\r\nHost: " + host + "\r\nContent-Length: 5000\r\n"
		if i%2 == 0 {
			head += "Content-Type: application/x-www-form-urlencoded\r\n\r\nsupplier="
		}
		if _, err := c.Write([]byte(head)); err != nil {
			let()
			return nil, err
		}
	}
	return let, nil
}

// mostWait is how long the slowest of fifty who save at once may wait.
const mostWait = 300 * time.Millisecond

// saveAtOnce lets every browser save at the same moment, many times.
func saveAtOnce(ctx context.Context, bs []*browser) error {
	var lock sync.Mutex
	var took []time.Duration
	var failed error
	for round := range 20 {
		var wg sync.WaitGroup
		for i, b := range bs {
			wg.Go(func() {
				begin := time.Now()
				err := b.post(ctx, "/lots", fmt.Sprintf("at-once-%d-%d", round, i), url.Values{
					"supplier": {fmt.Sprintf("Once %d %d", round, i)}, "arrived_on": {"2026-11-20"}, "by": {"AK"}})
				lock.Lock()
				defer lock.Unlock()
				took = append(took, time.Since(begin))
				failed = errors.Join(failed, err)
			})
		}
		wg.Wait()
	}
	slices.Sort(took)
	p99 := took[len(took)*99/100]
	fmt.Printf("writers: %d at once, 20 times: 99 of 100 within %v, slowest %v\n", len(bs), p99.Round(time.Millisecond),
		took[len(took)-1].Round(time.Millisecond))
	if p99 > mostWait {
		failed = errors.Join(failed, fmt.Errorf("99 of 100 writers within %v, at most %v", p99, mostWait))
	}
	return failed
}
