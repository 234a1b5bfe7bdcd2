package main

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"strings"
	"sync"
	"time"
)

// Bounds of the log. A program that is asked nonsense all night must not fill the disk with it.
const (
	logWindow   = 10 * time.Second // a line is written once in this time, and counted after that
	logLines    = 400              // in a window; what is beyond is counted
	logLineSize = 1000             // of one value
	logFileSize = 4 << 20          // then the file is put aside, and the one aside before is gone
)

// counted is a slog handler that writes the same line once in a window and then says how often it came.
type counted struct {
	slog.Handler
	seen *window
}

// window is what was written since it began.
type window struct {
	sync.Mutex
	now     func() time.Time
	begin   time.Time
	times   map[string]int
	records map[string]slog.Record
	left    int // lines beyond the bound
}

// newLog returns a logger over w; now is the clock.
func newLog(w io.Writer, now func() time.Time) *slog.Logger {
	opt := &slog.HandlerOptions{ReplaceAttr: func(_ []string, a slog.Attr) slog.Attr {
		if s := a.Value.String(); a.Value.Kind() != slog.KindTime && len(s) > logLineSize {
			a.Value = slog.StringValue(strings.ToValidUTF8(s[:logLineSize], "") + "…")
		}
		return a
	}}
	return slog.New(counted{slog.NewTextHandler(w, opt), &window{now: now}})
}

// Handle writes a record, or counts it.
func (c counted) Handle(ctx context.Context, r slog.Record) error {
	c.seen.Lock()
	defer c.seen.Unlock()
	w := c.seen
	if now := w.now(); w.times == nil || now.Sub(w.begin) >= logWindow {
		if err := c.sum(ctx); err != nil {
			return err
		}
		w.begin, w.times, w.records, w.left = now, map[string]int{}, map[string]slog.Record{}, 0
	}
	line := key(r)
	if n := w.times[line]; n > 0 {
		w.times[line]++
		return nil
	}
	if len(w.times) >= logLines {
		w.left++
		return nil
	}
	w.times[line], w.records[line] = 1, r.Clone()
	return c.Handler.Handle(ctx, r)
}

// WithAttrs and WithGroup keep the count.
func (c counted) WithAttrs(a []slog.Attr) slog.Handler {
	return counted{c.Handler.WithAttrs(a), c.seen}
}
func (c counted) WithGroup(name string) slog.Handler {
	return counted{c.Handler.WithGroup(name), c.seen}
}

// sum says what was only counted in the window that ends.
func (c counted) sum(ctx context.Context) error {
	for line, n := range c.seen.times {
		if n > 1 {
			r := c.seen.records[line]
			r.AddAttrs(slog.Int("times", n))
			if err := c.Handler.Handle(ctx, r); err != nil {
				return err
			}
		}
	}
	if c.seen.left > 0 {
		r := slog.NewRecord(c.seen.now(), slog.LevelWarn, "lines left out of the log", 0)
		r.AddAttrs(slog.Int("lines", c.seen.left))
		return c.Handler.Handle(ctx, r)
	}
	return nil
}

// key is what makes two lines the same: all but how long it took.
func key(r slog.Record) string {
	var b strings.Builder
	fmt.Fprintf(&b, "%v %s", r.Level, r.Message)
	r.Attrs(func(a slog.Attr) bool {
		if a.Key != "took" {
			fmt.Fprintf(&b, " %s=%.200s", a.Key, a.Value)
		}
		return true
	})
	return b.String()
}

// logFile is a file that is put aside, as name.1, when it has grown to most bytes.
type logFile struct {
	name string
	most int64
	f    *os.File
	size int64
}

func openLog(name string, most int64) (*logFile, error) {
	l := &logFile{name: name, most: most}
	return l, l.open()
}

func (l *logFile) open() (err error) {
	if l.f, err = os.OpenFile(l.name, os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600); err != nil {
		return err
	}
	info, err := l.f.Stat()
	if err == nil {
		l.size = info.Size()
	}
	return err
}

// Write appends a line. The handler above sees to it that one is written at a time.
func (l *logFile) Write(p []byte) (int, error) {
	if l.size+int64(len(p)) > l.most && l.size > 0 {
		if err := l.f.Close(); err != nil {
			return 0, err
		}
		if err := os.Rename(l.name, l.name+".1"); err != nil {
			return 0, err
		}
		if err := l.open(); err != nil {
			return 0, err
		}
	}
	n, err := l.f.Write(p)
	l.size += int64(n)
	return n, err
}
