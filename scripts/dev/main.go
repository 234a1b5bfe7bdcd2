// Command dev serves the sample workshop while it is being worked on: when a file changes, the program is built and
// started anew on the same workshop, and open pages reload. It stands before the program as a proxy, so that the
// program itself knows nothing of it.
package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log"
	"net/http"
	"net/http/httputil"
	"net/url"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
)

const (
	front  = "127.0.0.1:8460"
	behind = "127.0.0.1:8461"
	script = `const was = await (await fetch('/dev/round')).text();
for (;;) {
  await new Promise((r) => setTimeout(r, 700));
  try {
    const now = await fetch('/dev/round');
    if (now.ok && (await now.text()) !== was) location.reload();
  } catch {}
}
`
)

// round counts the builds that were started; a page that sees another number reloads.
type round struct {
	sync.Mutex
	n int
}

func main() {
	data, err := os.MkdirTemp("", "pandrel-dev-")
	if err != nil {
		log.Fatal(err)
	}
	defer os.RemoveAll(data)
	r := &round{}
	go watch(r, data)
	log.Printf("http://%s reloads when a file changes", front)
	srv := &http.Server{Addr: front, Handler: handler(r), ReadHeaderTimeout: 10 * time.Second}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	go func() {
		<-ctx.Done()
		srv.Close() // the program behind got the same signal
	}()
	if err := srv.ListenAndServe(); !errors.Is(err, http.ErrServerClosed) {
		log.Print(err)
	}
}

// handler passes requests on to the program and adds the reloading script to its pages.
func handler(r *round) http.Handler {
	target := &url.URL{Scheme: "http", Host: behind}
	proxy := &httputil.ReverseProxy{
		Rewrite: func(p *httputil.ProxyRequest) {
			p.SetURL(target)
			p.Out.Header.Del("Accept-Encoding")
			if p.Out.Header.Get("Origin") != "" {
				p.Out.Header.Set("Origin", "http://"+behind)
			}
		},
		ModifyResponse: func(w *http.Response) error {
			if !strings.HasPrefix(w.Header.Get("Content-Type"), "text/html") {
				return nil
			}
			body, err := io.ReadAll(w.Body)
			if err != nil {
				return err
			}
			body = bytes.Replace(body, []byte("</head>"),
				[]byte(`<script src="/dev/reload.js" type="module"></script></head>`), 1)
			w.Body = io.NopCloser(bytes.NewReader(body))
			w.Header.Set("Content-Length", strconv.Itoa(len(body)))
			return nil
		},
		ErrorHandler: func(w http.ResponseWriter, _ *http.Request, _ error) {
			w.Header().Set("Content-Type", "text/html")
			w.WriteHeader(http.StatusBadGateway)
			fmt.Fprint(w, `<!doctype html><title>Building</title><script src="/dev/reload.js" type="module"></script>`+
				`<p>The program is being built, or does not build: see the terminal.</p>`)
		},
	}
	mux := http.NewServeMux()
	mux.HandleFunc("/dev/reload.js", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/javascript")
		fmt.Fprint(w, script)
	})
	mux.HandleFunc("/dev/round", func(w http.ResponseWriter, _ *http.Request) {
		r.Lock()
		defer r.Unlock()
		fmt.Fprint(w, r.n)
	})
	mux.Handle("/", proxy)
	return mux
}

// watch builds and starts the program, and again whenever a file is newer than the last build.
func watch(r *round, data string) {
	var running *exec.Cmd
	var seen time.Time
	for ; ; time.Sleep(400 * time.Millisecond) {
		at, styles := newest(seen)
		if !at.After(seen) {
			continue
		}
		seen = at
		if styles {
			run("node", "scripts/styles.mjs")
		}
		if run("go", "build", "-o", "bin/pandrel", "./cmd/pandrel") != nil {
			continue // what runs goes on running
		}
		if running != nil {
			_ = running.Process.Signal(os.Interrupt)
			_ = running.Wait()
		}
		command := "serve"
		if entries, err := os.ReadDir(data); err == nil && len(entries) == 0 {
			command = "demo"
		}
		running = exec.Command("bin/pandrel", command, "--data", data, "--listen", behind)
		running.Stdout, running.Stderr = os.Stdout, os.Stderr
		if err := running.Start(); err != nil {
			log.Print(err)
			running = nil
			continue
		}
		for range 100 { // until it answers
			if resp, err := http.Get("http://" + behind + "/static/icon.svg"); err == nil {
				resp.Body.Close()
				break
			}
			time.Sleep(100 * time.Millisecond)
		}
		r.Lock()
		r.n++
		r.Unlock()
	}
}

func run(name string, args ...string) error {
	c := exec.Command(name, args...)
	c.Stdout, c.Stderr = os.Stdout, os.Stderr
	err := c.Run()
	if err != nil {
		log.Printf("%s: %v", name, err)
	}
	return err
}

// newest is when a file of the program was changed last, and whether a style is among what changed after seen.
func newest(seen time.Time) (at time.Time, styles bool) {
	_ = filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return nil
		}
		if d.IsDir() && slices.Contains([]string{"node_modules", ".git", "bin", "data", "test-results"}, d.Name()) {
			return filepath.SkipDir
		}
		ext := filepath.Ext(path)
		if d.IsDir() || !slices.Contains([]string{".go", ".html", ".css", ".js", ".scss", ".sql", ".svg"}, ext) {
			return nil
		}
		info, err := d.Info()
		if err != nil {
			return nil
		}
		styles = styles || ext == ".scss" && info.ModTime().After(seen)
		if info.ModTime().After(at) {
			at = info.ModTime()
		}
		return nil
	})
	return at, styles
}
