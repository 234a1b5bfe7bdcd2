package main

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"pandrel/store"
	"pandrel/web/door"
)

func TestTheNextFreePortIsTakenAndSaid(t *testing.T) {
	taken, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer taken.Close()
	var says bytes.Buffer
	h := house{place: door.Place{Listen: taken.Addr().String()}, next: true}
	l, err := h.listen(&says)
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	if l.Addr().String() == taken.Addr().String() || !strings.Contains(says.String(), "is taken") ||
		!strings.Contains(says.String(), fmt.Sprint(l.Addr().(*net.TCPAddr).Port)) {
		t.Errorf("%s: %q", l.Addr(), says.String())
	}
	h.next = false // a workshop that is served stays where it was asked to be
	if _, err := h.listen(&says); err == nil || !strings.Contains(err.Error(), "another Pandrel") {
		t.Errorf("no error for a port that is taken: %v", err)
	}
}

// serving runs the serve command on a folder until the test ends it.
func serving(t *testing.T, dir string, more ...string) (url string, stop func() error) {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	c := root()
	out := &lines{first: make(chan string, 1)}
	c.SetOut(out)
	c.SetErr(&bytes.Buffer{})
	c.SetArgs(append([]string{"serve", "--data", dir, "--listen", "127.0.0.1:0"}, more...))
	done := make(chan error, 1)
	go func() { done <- c.ExecuteContext(ctx) }()
	select {
	case line := <-out.first:
		url = strings.TrimSpace(line[strings.Index(line, "http://"):])
	case err := <-done:
		cancel()
		t.Fatalf("it did not start: %v", err)
	}
	return url, func() error { cancel(); return <-done }
}

// lines hands on the first line that is written.
type lines struct{ first chan string }

func (l *lines) Write(p []byte) (int, error) {
	select {
	case l.first <- string(p):
	default:
	}
	return len(p), nil
}

func TestServeKeepsOthersOutAndTidiesUp(t *testing.T) {
	keepTempDir(t)
	dir := t.TempDir()
	left := filepath.Join(dir, "incoming", "multipart-123")
	if err := os.MkdirAll(filepath.Dir(left), 0o700); err != nil {
		t.Fatal(err)
	}
	for _, f := range []string{left, filepath.Join(dir, "friday.db.part")} {
		if err := os.WriteFile(f, []byte("half"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	log := filepath.Join(t.TempDir(), "p.log")
	url, stop := serving(t, dir, "--log", log)
	r, err := http.Get(url)
	if err != nil || r.StatusCode != 200 {
		t.Fatal(err)
	}
	_ = r.Body.Close()
	for _, f := range []string{left, filepath.Join(dir, "friday.db.part")} {
		if _, err := os.Stat(f); err == nil {
			t.Errorf("%s is still there", f)
		}
	}
	_, says, status := command(t, "serve", "--data", dir, "--listen", "127.0.0.1:0")
	if status != 2 || !strings.Contains(says, "another Pandrel serves this workshop") {
		t.Errorf("a second server on one folder: %d, %s", status, says)
	}
	copied := filepath.Join(t.TempDir(), "copy.db")
	if out, says, status := command(t, "backup", copied, "--data", dir); status != 0 || !strings.Contains(out, copied) {
		t.Errorf("a backup while it is served: %d, %s", status, says)
	}
	if _, says, status := command(t, "restore", copied, "--data", dir); status != 2 ||
		!strings.Contains(says, "serves") {
		t.Errorf("restored under a running server: %d, %s", status, says)
	}
	if err := stop(); err != nil {
		t.Errorf("ended with %v", err)
	}
	if text, err := os.ReadFile(log); err != nil || !strings.Contains(string(text), "path=/") {
		t.Errorf("the log holds %q, %v", text, err)
	}
	out, _, status := command(t, "restore", copied, "--data", dir)
	if status != 0 || !strings.Contains(out, "restored:") || !strings.Contains(out, "before") {
		t.Errorf("%d, %s", status, out)
	}
	if kept, _ := filepath.Glob(filepath.Join(dir, "workshop-before-*.db")); len(kept) != 1 {
		t.Errorf("what was there before: %v", kept)
	}
	if out, _, status := command(t, "restore", copied, "--data", filepath.Join(t.TempDir(), "new")); status != 0 ||
		strings.Contains(out, "before") {
		t.Errorf("into a new folder: %d, %s", status, out)
	}
	if _, says, status := command(t, "restore", "nowhere.db", "--data", dir); status != 2 ||
		!strings.Contains(says, "nowhere.db") {
		t.Errorf("a file that is not there: %d, %s", status, says)
	}
}

// keepTempDir gives the place for temporary files back: serving sets it for its process.
func keepTempDir(t *testing.T) {
	for _, name := range []string{"TMPDIR", "TMP", "TEMP"} {
		t.Setenv(name, os.Getenv(name))
	}
	if err := os.Unsetenv("TMPDIR"); err != nil {
		t.Fatal(err)
	}
}

func TestServeSaysWhyItDoesNot(t *testing.T) {
	keepTempDir(t)
	empty := t.TempDir()
	if err := os.WriteFile(filepath.Join(empty, store.FileName), nil, 0o600); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		args []string
		says string
	}{
		"beyond loopback without names": {[]string{"--listen", "0.0.0.0:0"}, "--host bench.local"},
		"a name with a port":            {[]string{"--listen", "0.0.0.0:0", "--host", "a:1"}, "alone"},
		"an empty file":                 {[]string{"--listen", "127.0.0.1:0", "--data", empty}, "pandrel restore"},
		"a log that cannot be written":  {[]string{"--listen", "127.0.0.1:0", "--log", t.TempDir()}, "is a directory"},
	} {
		t.Run(name, func(t *testing.T) {
			args := append([]string{"serve", "--data", t.TempDir()}, c.args...)
			done := make(chan string, 1)
			go func() {
				_, says, status := command(t, args...)
				done <- fmt.Sprint(status, says)
			}()
			select {
			case got := <-done:
				if !strings.HasPrefix(got, "2") || !strings.Contains(got, c.says) {
					t.Errorf("%s: expected 2 and %q", got, c.says)
				}
			case <-time.After(20 * time.Second):
				t.Error("it serves")
			}
		})
	}
}
