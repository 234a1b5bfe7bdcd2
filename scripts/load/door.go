package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"pandrel/store"
)

// door asks what those do to others who do nothing, who send what nobody asked for, and who take the workshop's file
// away, and how long a page takes after a save with a full stock.
func door(ctx context.Context, _ effort, dir string) error {
	if err := fill(ctx, dir, 5000); err != nil {
		return err
	}
	p, err := start(dir)
	if err != nil {
		return err
	}
	defer p.kill()
	return errors.Join(idle(ctx, p), unasked(ctx, p, dir), afterSaves(ctx, p), taken(ctx, p, dir))
}

// idle connects four thousand times and says nothing; others are answered all the while.
func idle(ctx context.Context, p *program) error {
	host := strings.TrimSuffix(strings.TrimPrefix(p.url, "http://"), "/")
	for range 4000 {
		c, err := net.Dial("tcp", host)
		if err != nil {
			return err
		}
		defer c.Close()
	}
	var slowest time.Duration
	for range 50 {
		b := p.browser() // a connection of its own
		begin := time.Now()
		if code, _, err := b.get(ctx, "/keys"); err != nil || code != http.StatusOK {
			return fmt.Errorf("4 000 idle connections: %d, %w", code, err)
		}
		slowest = max(slowest, time.Since(begin))
	}
	fmt.Printf("door: beside 4000 idle connections 50 others were answered, the slowest within %d ms\n",
		slowest.Milliseconds())
	return nil
}

// unasked sends uploads of 60 MiB without the guard of a page, eight at once.
func unasked(ctx context.Context, p *program, dir string) error {
	type end struct {
		sent int64
		err  error
	}
	ends := make(chan end)
	for range 8 {
		go func() {
			r, w := io.Pipe()
			m := multipart.NewWriter(w)
			var n int64
			go func() {
				part, err := m.CreateFormFile("file", "a.csv")
				for i := 0; err == nil && i < 60; i++ {
					var k int
					k, err = part.Write(make([]byte, 1<<20))
					n += int64(k)
				}
				_ = w.CloseWithError(errors.Join(err, io.EOF))
			}()
			q, err := http.NewRequestWithContext(ctx, http.MethodPost, p.url+"/modules/K-110/trace", r)
			if err == nil {
				q.Header.Set("Content-Type", m.FormDataContentType())
				var a *http.Response
				if a, err = http.DefaultClient.Do(q); err == nil {
					if a.StatusCode != http.StatusForbidden {
						err = fmt.Errorf("answered with %d", a.StatusCode)
					}
					_ = a.Body.Close()
				} else {
					err = nil // cut off while it was sending
				}
			}
			_ = r.Close()
			ends <- end{n, err}
		}()
	}
	var sent int64
	var err error
	for range 8 {
		e := <-ends
		sent, err = sent+e.sent, errors.Join(err, e.err)
	}
	var spooled int64
	left, _ := filepath.Glob(filepath.Join(dir, "incoming", "*"))
	for _, f := range left {
		if info, err := os.Stat(f); err == nil {
			spooled += info.Size()
		}
	}
	fmt.Printf("door: of 8 × 60 MiB without a guard %d MiB were sent before they were refused, %d kB spooled\n",
		sent>>20, spooled>>10)
	if spooled > 0 {
		err = errors.Join(err, errors.New("what nobody asked for was spooled"))
	}
	return err
}

// afterSaves saves and asks for pages that show the stock.
func afterSaves(ctx context.Context, p *program) error {
	b := p.browser()
	for _, page := range []string{"/", "/banks/1", "/banks/2", "/lots/1", "/bench", "/modules/K-108"} {
		var slowest time.Duration
		for i := range 5 {
			if _, _, err := b.get(ctx, "/banks/standing"); err != nil {
				return err
			}
			token := fmt.Sprintf("door-token-%d-%s", i, strings.Trim(page, "/"))
			if err := b.post(ctx, "/lots", token, url.Values{"by": {"AK"}, "supplier": {"Depot"},
				"arrived_on": {"2026-11-20"}}); err != nil {
				return err
			}
			begin := time.Now()
			if code, _, err := b.get(ctx, page); err != nil || code != http.StatusOK {
				return fmt.Errorf("%s: %d, %w", page, code, err)
			}
			slowest = max(slowest, time.Since(begin))
		}
		fmt.Printf("door: %-16s after a save, 5000 modules on the shelf: %d ms\n", page, slowest.Milliseconds())
	}
	return nil
}

// taken deletes the workshop's file and saves.
func taken(ctx context.Context, p *program, dir string) error {
	b := p.browser()
	if _, _, err := b.get(ctx, "/banks/standing"); err != nil {
		return err
	}
	if err := os.Remove(filepath.Join(dir, store.FileName)); err != nil {
		return err
	}
	err := b.post(ctx, "/lots", "door-taken", url.Values{"by": {"AK"}, "supplier": {"Depot"},
		"arrived_on": {"2026-11-20"}})
	if !errors.Is(err, errNotTaken) || !strings.Contains(err.Error(), "503") {
		return fmt.Errorf("the workshop's file was deleted, and a save was answered with %w", err)
	}
	fmt.Println("door: with the workshop's file deleted a save is refused, and says so")
	return nil
}
