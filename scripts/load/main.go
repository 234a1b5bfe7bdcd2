// Command load measures what the program holds: traffic and saves with a full workshop, clients that stall, files that
// mean harm, and being killed in the middle of writing. It drives bin/pandrel from outside, and ends with status 1
// where a figure is not held. Nothing of it runs in the tests, since machines are noisy; the figures that were seen
// stand in docs/benchmarks.md.
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"pandrel/demo"
	"pandrel/store"
)

// how much is asked for.
type effort struct {
	kills   int
	seconds int
	rate    int
	stalled int
	file    string
}

var parts = []struct {
	name string
	run  func(ctx context.Context, e effort, dir string) error
}{{"door", door}, {"hostile", hostile}, {"traffic", traffic}, {"kills", kills}}

func main() {
	var e effort
	flag.IntVar(&e.kills, "kills", 1000, "how often the program is killed while it writes")
	flag.IntVar(&e.seconds, "seconds", 60, "how long traffic is sent")
	flag.IntVar(&e.rate, "rate", 100, "requests a second")
	flag.IntVar(&e.stalled, "stalled", 900, "clients that stall")
	flag.StringVar(&e.file, "file", "", "only hostile files with this in their name")
	only := flag.String("only", "", "door, hostile, traffic or kills")
	flag.Parse()
	failed := false
	for _, p := range parts {
		if *only != "" && *only != p.name {
			continue
		}
		if err := one(p.run, e); err != nil {
			fmt.Println("NOT HELD:", p.name+":", err)
			failed = true
		}
	}
	if failed {
		os.Exit(1)
	}
}

func one(run func(context.Context, effort, string) error, e effort) error {
	dir, err := os.MkdirTemp("", "pandrel-load-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	return run(context.Background(), e, dir)
}

// fill makes the sample workshop in dir, with many more modules.
func fill(ctx context.Context, dir string, more int) error {
	st, err := store.Open(dir)
	if err != nil {
		return err
	}
	defer st.Close()
	now := time.Now()
	if err := demo.Fill(ctx, st, now); err != nil {
		return err
	}
	if more > 0 {
		return demo.Crowd(ctx, st, 1, more, now)
	}
	return nil
}

// fresh copies a filled workshop into a folder of its own.
func fresh(from, name string) (string, error) {
	dir := filepath.Join(filepath.Dir(from), name)
	if err := os.Mkdir(dir, 0o700); err != nil {
		return "", err
	}
	return dir, store.Copy(filepath.Join(from, store.FileName), filepath.Join(dir, store.FileName))
}
