package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/jpeg"
	"math/rand/v2"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"

	"pandrel/store"
)

// slowStart is how long the program may take to answer again after it was killed.
const slowStart = time.Second

// record is what was acknowledged, by what finds it again.
type record struct {
	lots     map[string]bool
	pictures map[string]bool
	traces   map[string]bool
	surveys  int
	backups  int
}

// kills ends the program while several people save lots, surveys, pictures and logs and a backup is written, looks for
// everything that was acknowledged, and starts it again, many times.
func kills(ctx context.Context, e effort, dir string) error {
	full := filepath.Join(dir, "full")
	if err := errors.Join(os.Mkdir(full, 0o700), fill(ctx, full, 0)); err != nil {
		return err
	}
	r := rand.New(rand.NewPCG(uint64(time.Now().UnixNano()), 1)) // another course each time
	had := record{map[string]bool{}, map[string]bool{}, map[string]bool{}, 0, 0}
	var slowest time.Duration
	slow := 0
	for round := range e.kills {
		p, err := start(full)
		if err != nil {
			return fmt.Errorf("after kill %d: %w", round, err)
		}
		slowest = max(slowest, p.ready)
		if p.ready > slowStart {
			slow++
		}
		backup := filepath.Join(dir, fmt.Sprintf("b%d.db", round))
		saving(ctx, p, round, time.Duration(20+r.IntN(180))*time.Millisecond, &had, [2]string{full, backup})
		if err := had.check(full, backup); err != nil {
			return fmt.Errorf("after kill %d: %w", round+1, err)
		}
	}
	fmt.Printf("kills: %d; acknowledged and found again: %d lots, %d pictures, %d logs, %d surveys; %d backups whole; "+
		"slowest start %v\n", e.kills, len(had.lots), len(had.pictures), len(had.traces), had.surveys, had.backups,
		slowest.Round(time.Millisecond))
	if slow > 0 {
		return fmt.Errorf("%d of %d starts took over %v", slow, e.kills, slowStart)
	}
	return nil
}

// saving lets people save until the program is killed, and notes what was acknowledged.
func saving(ctx context.Context, p *program, round int, until time.Duration, had *record, folders [2]string) {
	data, backup := folders[0], folders[1]
	ctx, cancel := context.WithCancel(ctx)
	var lock sync.Mutex
	var wg sync.WaitGroup
	note := func(err error, f func()) bool {
		if err == nil {
			lock.Lock()
			f()
			lock.Unlock()
		}
		return err == nil || errors.Is(err, errNotTaken)
	}
	for _, save := range []func(b *browser, name string) bool{
		func(b *browser, name string) bool {
			return note(b.post(ctx, "/lots", name, url.Values{"supplier": {name}, "arrived_on": {"2026-11-20"},
				"by": {"AK"}}), func() { had.lots[name] = true })
		},
		func(b *browser, name string) bool {
			return note(acknowledged(b.upload(ctx, "/modules/K-110/pictures", name, attached{"picture", "p.jpg",
				picture(name)}, url.Values{"caption": {name}, "by": {"AK"}})), func() { had.pictures[name] = true })
		},
		func(b *browser, name string) bool {
			text := "time_s,volts,amps\n0,29.33,0\n2400,29.33,0\n2410,27.3,-5\n"
			for i := range 400 {
				text += fmt.Sprintf("%d,%.3f,-5\n", 2420+i*80, 27.3-float64(i)*0.016)
			}
			return note(acknowledged(b.upload(ctx, "/modules/K-110/trace", name, attached{"file", name + ".csv",
				[]byte("# " + name + "\n" + text)}, url.Values{"keep": {"held"}, "by": {"AK"}})),
				func() { had.traces[name] = true })
		},
		func(b *browser, name string) bool {
			v := url.Values{"by": {"AK"}, "rest_min": {"60"}, "instrument": {name}}
			for g := 1; g <= 7; g++ {
				v.Set(fmt.Sprint("g", g), fmt.Sprintf("3,%d", 700+g))
			}
			return note(b.post(ctx, "/modules/K-125/survey", name, v), func() { had.surveys++ })
		},
	} {
		wg.Go(func() {
			b := p.browser()
			if _, _, err := b.get(ctx, "/station/receive"); err != nil {
				return
			}
			for i := 0; save(b, fmt.Sprintf("round-%d-%d", round, i)); i++ {
			}
		})
	}
	writing := exec.Command("bin/pandrel", "backup", backup, "--data", data)
	if err := writing.Start(); err != nil {
		panic(err) // the program is there: it was started a moment ago
	}
	time.Sleep(until)
	_ = writing.Process.Kill() // perhaps it has ended by then
	p.kill()
	_ = writing.Wait()
	cancel()
	wg.Wait()
}

// check looks for all that was acknowledged, and for halves of files.
func (h *record) check(dir, backup string) error {
	if err := store.Check(filepath.Join(dir, store.FileName)); err != nil {
		return err
	}
	if _, err := os.Stat(backup); err == nil {
		if err := store.Check(backup); err != nil {
			return fmt.Errorf("a backup is not whole: %w", err)
		}
		h.backups++
		if err := os.Remove(backup); err != nil {
			return err
		}
	}
	_ = os.Remove(backup + ".part") // what a killed backup leaves bears another name
	st, err := store.Open(dir)
	if err != nil {
		return err
	}
	defer st.Close()
	for _, k := range []struct {
		what, query string
		had         map[string]bool
	}{{"lot", "SELECT supplier FROM lots", h.lots}, {"picture", "SELECT caption FROM pictures", h.pictures},
		{"log", "SELECT replace(file_name, '.csv', '') FROM tests WHERE sha256 IS NOT NULL", h.traces}} {
		var names []string
		if err := st.DB.Raw(k.query).Scan(&names).Error; err != nil {
			return err
		}
		found := map[string]bool{}
		for _, n := range names {
			found[n] = true
		}
		for n := range k.had {
			if !found[n] {
				return fmt.Errorf("%s %s was acknowledged and is lost", k.what, n)
			}
		}
	}
	return torn(st, h.surveys)
}

// torn looks for halves: surveys without their readings, rows that point to files that are not there.
func torn(st *store.Store, surveys int) error {
	var bad []string
	for what, query := range map[string]string{
		"surveys with a part of their readings": "SELECT count(*) FROM surveys s JOIN modules m ON m.id = " +
			"s.module_id " +
			"WHERE m.number = 'K-125' AND s.instrument LIKE 'round-%' AND (SELECT count(*) FROM survey_readings r " +
			"WHERE r.survey_id = s.id) <> 7",
		"pictures without their file": "SELECT count(*) FROM pictures WHERE sha256 NOT IN (SELECT sha256 FROM blobs)",
		"logs without their file":     "SELECT count(*) FROM tests WHERE sha256 NOT IN (SELECT sha256 FROM blobs)",
		"logs without a result": "SELECT count(*) FROM tests WHERE sha256 IS NOT NULL AND id NOT IN (SELECT " +
			"test_id FROM " +
			"test_results)",
	} {
		var n int
		if err := st.DB.Raw(query).Scan(&n).Error; err != nil {
			return err
		}
		if n > 0 {
			bad = append(bad, fmt.Sprintf("%d %s", n, what))
		}
	}
	var n int
	if err := st.DB.Raw("SELECT count(*) FROM surveys WHERE instrument LIKE 'round-%'").Scan(&n).Error; err != nil {
		return err
	}
	if n < surveys {
		bad = append(bad, fmt.Sprintf("%d surveys of %d that were acknowledged", n, surveys))
	}
	if len(bad) > 0 {
		return errors.New(strings.Join(bad, ", "))
	}
	return nil
}

// picture is a small picture that no other name has.
func picture(name string) []byte {
	m := image.NewGray(image.Rect(0, 0, 64, 48))
	copy(m.Pix, name)
	var b bytes.Buffer
	if err := jpeg.Encode(&b, m, nil); err != nil {
		panic(err) // into memory: cannot fail
	}
	return b.Bytes()
}
