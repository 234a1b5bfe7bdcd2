package main

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

func TestTheLogCountsWhatRepeats(t *testing.T) {
	var b bytes.Buffer
	now := time.Date(2026, 11, 26, 8, 0, 0, 0, time.UTC)
	log := newLog(&b, func() time.Time { return now })
	for i := range 5000 {
		log.Info("request", "path", "/same", "took", time.Duration(i))
	}
	log.Info("request", "path", "/other")
	if n := strings.Count(b.String(), "\n"); n != 2 {
		t.Errorf("%d lines while it repeats: expected one for each path", n)
	}
	now = now.Add(logWindow)
	log.Info("request", "path", "/third")
	if !strings.Contains(b.String(), "/same") || !strings.Contains(b.String(), "times=5000") {
		t.Errorf("the count is missing: %s", b.String())
	}
}

func TestTheLogIsBoundedWhateverIsAsked(t *testing.T) {
	var b bytes.Buffer
	now := time.Date(2026, 11, 26, 8, 0, 0, 0, time.UTC)
	log := newLog(&b, func() time.Time { return now })
	for i := range 20000 {
		log.Info("request", "path", fmt.Sprint(i, strings.Repeat("x\n", 4000)))
	}
	if lines := strings.Count(b.String(), "\n"); lines > logLines || b.Len() > logLines*(2*logLineSize) {
		t.Errorf("%d lines, %d bytes", lines, b.Len())
	}
	now = now.Add(logWindow)
	log.With("who", "AK").WithGroup("g").Warn("next")
	if !strings.Contains(b.String(), "lines=19600") || !strings.Contains(b.String(), "who=AK") {
		t.Error("what was left out is not counted")
	}
}

func TestALogFileIsPutAside(t *testing.T) {
	name := filepath.Join(t.TempDir(), "p.log")
	for range 2 { // the second start goes on with the first one's file
		l, err := openLog(name, 1000)
		if err != nil {
			t.Fatal(err)
		}
		for range 40 {
			if _, err := l.Write([]byte(strings.Repeat("y", 99) + "\n")); err != nil {
				t.Fatal(err)
			}
		}
		_ = l.f.Close()
	}
	all, _ := filepath.Glob(name + "*")
	for _, f := range all {
		if info, err := os.Stat(f); err != nil || info.Size() > 1000 || info.Mode().Perm() != 0o600 {
			t.Error(f, info.Size(), err)
		}
	}
	if len(all) != 2 {
		t.Error(all)
	}
	if _, err := openLog(filepath.Join(name, "in", "a", "file"), 1000); err == nil {
		t.Error("no error for a folder that is none")
	}
}
