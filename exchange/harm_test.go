package exchange_test

import (
	"bytes"
	"context"
	"errors"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"testing"
	"time"

	"pandrel/core/test/logfile"
	"pandrel/exchange"
	"pandrel/scripts/load/harm"
)

// mostLive is what reading one file may hold at a time, beside the file; the whole program is promised 512 MiB.
const mostLive = 400 << 20

// watched runs do and returns the most memory that was held meanwhile, as far as looks every millisecond see it.
func watched(do func()) (most uint64) {
	defer debug.SetGCPercent(debug.SetGCPercent(20))
	runtime.GC()
	live := []metrics.Sample{{Name: "/memory/classes/heap/objects:bytes"}}
	metrics.Read(live)
	before := live[0].Value.Uint64()
	done, seen := make(chan struct{}), make(chan uint64)
	go func() {
		var most uint64
		for {
			metrics.Read(live)
			most = max(most, live[0].Value.Uint64())
			select {
			case <-done:
				seen <- most
				return
			case <-time.After(time.Millisecond):
			}
		}
	}()
	do()
	close(done)
	return <-seen - min(before, most)
}

func read(ctx context.Context, kind harm.Kind, data []byte) (err error) {
	switch kind {
	case harm.Table:
		_, err = exchange.ReadGrid(ctx, data)
	case harm.Log:
		_, err = exchange.ReadLog(ctx, data, logfile.ParseOptions{})
	default:
		_, err = exchange.ReadPicture(ctx, data)
	}
	return err
}

// Whatever is sent, what is held at a time stays far below what the program is promised to stay under, and is no more
// than was told from the file's head where that is much: by that small files are let in beside large ones. Each refusal
// says what was expected.
func TestFilesThatMeanHarm(t *testing.T) {
	for _, f := range harm.Files {
		t.Run(f.Name, func(t *testing.T) {
			data := f.Data()
			told, err := exchange.Takes(bytes.NewReader(data), int64(len(data)))
			if err != nil {
				t.Error(err)
			}
			most := watched(func() { err = read(t.Context(), f.Kind, data) })
			if most > mostLive || int64(most) > max(told, 48<<20)*3/2 {
				t.Errorf("%d MiB were held for a file of %d kB, %d MiB were told", most>>20, len(data)>>10, told>>20)
			}
			var said *exchange.Error
			if err != nil && f.Kind != harm.Log && !errors.As(err, &said) {
				t.Errorf("%v", err)
			}
		})
	}
}

// A picture as a tablet takes it is let in beside large files.
func TestASmallPictureIsSmallWork(t *testing.T) {
	data := shot(t, card(1200, 900), 1)
	if told, err := exchange.Takes(bytes.NewReader(data), int64(len(data))); err != nil || told > 40<<20 {
		t.Errorf("%d MiB, %v", told>>20, err)
	}
}

// Nothing is worked on for which nobody waits any more.
func TestNobodyWaitsForIt(t *testing.T) {
	gone, leave := context.WithCancel(t.Context())
	leave()
	asked := 0
	for _, f := range harm.Files {
		switch f.Name {
		case "one text shared by a million cells", "two sheets of sixty megabytes", "interlaced, all channels",
			"a PNG whose pixels unpack to more than it says":
			asked++
			if err := read(gone, f.Kind, f.Data()); err == nil {
				t.Errorf("%s was read", f.Name)
			}
		}
	}
	if asked != 4 {
		t.Errorf("%d files were asked", asked)
	}
}
