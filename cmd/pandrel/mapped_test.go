package main

import (
	"bytes"
	"fmt"
	"os"
	"strings"
	"testing"
)

// A large log is read as the system has it: the same bytes, also after what was passed is let go, and the same report
// as for the file that is read into memory.
func TestALargeLogIsReadInPlace(t *testing.T) {
	var b strings.Builder
	b.WriteString("time_s,volts,amps\n")
	for i := range 150_000 {
		amps := -5
		if i < 2000 {
			amps = 0
		}
		fmt.Fprintf(&b, "%d,%.3f,%d\n", i, 4.19-8e-6*float64(i), amps)
	}
	path := file(t, "large.csv", b.String())
	data, passed, ok := mapped(path)
	if ok {
		read, err := os.ReadFile(path)
		if err != nil || !bytes.Equal(read, data) {
			t.Fatalf("%v: other bytes", err)
		}
		for left := len(data); left > 0; left -= 300_000 {
			passed(left)
		}
		passed(0)
		passed(len(data) + 5)
		if !bytes.Equal(read, data) {
			t.Error("other bytes once they were let go")
		}
	}
	out, errOut, status := command(t, "trace", path, "--chemistry", "nmc", "--rated-ah", "230")
	if status > 1 || !strings.Contains(out, "150000 samples") || !strings.Contains(out, "discharge") {
		t.Errorf("%d %s %.300s", status, errOut, out)
	}
	if small, _, ok := mapped(file(t, "small.csv", logText)); ok {
		t.Errorf("a small file of %d bytes is mapped", len(small))
	}
	if _, _, ok := mapped(t.TempDir()); ok {
		t.Error("a folder is mapped")
	}
	if _, _, ok := mapped(path + ".none"); ok {
		t.Error("what is not there is mapped")
	}
}
