// Package sample gives tests the sample workshop: filled once in a run of a package's tests, and copied for each of
// them.
package sample

import (
	"context"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"pandrel/demo"
	"pandrel/store"
)

// filled is the file of a sample as it was at a time.
type filled struct {
	once sync.Once
	data []byte
	err  error
}

var (
	mu  sync.Mutex
	all = map[time.Time]*filled{}
)

// Open opens a copy of the sample workshop as it would be at now. It is closed and removed when the test ends.
func Open(t testing.TB, now time.Time) *store.Store {
	t.Helper()
	mu.Lock()
	f := all[now]
	if f == nil {
		f = &filled{}
		all[now] = f
	}
	mu.Unlock()
	f.once.Do(func() { f.data, f.err = fill(now) })
	if f.err != nil {
		t.Fatal(f.err)
	}
	dir := t.TempDir()
	if err := os.WriteFile(filepath.Join(dir, store.FileName), f.data, 0o600); err != nil {
		t.Fatal(err)
	}
	st, err := store.Open(dir)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = st.Close() })
	return st
}

// fill makes the sample in a folder of its own and returns its file.
func fill(now time.Time) ([]byte, error) {
	dir, err := os.MkdirTemp("", "pandrel-sample-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	st, err := store.Open(dir)
	if err != nil {
		return nil, err
	}
	defer st.Close()
	if err := demo.Fill(context.Background(), st, now); err != nil {
		return nil, err
	}
	whole := filepath.Join(dir, "whole.db")
	if err := store.Backup(dir, whole); err != nil {
		return nil, err
	}
	return os.ReadFile(whole)
}
