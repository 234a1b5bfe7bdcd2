// Command mutate puts slips into the code, one at a time, and asks the tests whether they notice: a comparison or
// its edge, a number, a sign, a condition turned round, a finding that is not said. Nothing of it is written into the
// tree: each slip goes to the compiler as an overlay. The tests of the slip's own package and of those that import it
// directly are asked.
//
//	go run ./scripts/mutate -seed 7 -n 60 core        # sixty slips in core, drawn by seed 7
//	go run ./scripts/mutate -n 20 core/bank shop web
//
// It is not part of the tests: it takes minutes, and a score is no verdict. Seeds and scores that were seen stand in
// docs/benchmarks.md.
package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"
)

func main() {
	seed := flag.Uint64("seed", uint64(time.Now().UnixNano())%100_000, "of the draw")
	n := flag.Int("n", 60, "slips")
	beside := flag.Int("beside", 2, "slips asked at once")
	wait := flag.Duration("wait", 4*time.Minute, "after which tests that do not end have noticed")
	flag.Parse()
	folders := flag.Args()
	if len(folders) == 0 {
		folders = []string{"core"}
	}
	if err := run(*seed, *n, *beside, *wait, folders); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// outcome is what became of a slip.
type outcome string

const (
	noticed  outcome = "noticed"
	survived outcome = "survived"
	broken   outcome = "does not compile" // not counted
)

func run(seed uint64, n, beside int, wait time.Duration, folders []string) error {
	slips, err := inFolders(folders)
	if err != nil {
		return err
	}
	users, err := importers()
	if err != nil {
		return err
	}
	rng := rand.New(rand.NewPCG(seed, 22))
	rng.Shuffle(len(slips), func(i, k int) { slips[i], slips[k] = slips[k], slips[i] })
	drawn := slips[:min(n, len(slips))]
	fmt.Printf("seed %d: %d of %d slips in %s\n", seed, len(drawn), len(slips), strings.Join(folders, ", "))
	dir, err := os.MkdirTemp("", "slips-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	count := map[kind]map[outcome]int{}
	var lock sync.Mutex
	var all sync.WaitGroup
	turn := make(chan struct{}, beside)
	for i, s := range drawn {
		turn <- struct{}{}
		all.Go(func() {
			defer func() { <-turn }()
			o, aerr := s.ask(filepath.Join(dir, fmt.Sprint(i)), users, wait)
			lock.Lock()
			defer lock.Unlock()
			err = errors.Join(err, aerr)
			if count[s.kind] == nil {
				count[s.kind] = map[outcome]int{}
			}
			count[s.kind][o]++
			if o == survived {
				fmt.Printf("survived: %s:%d %s: %s became %s\n", s.file, s.line, s.kind, s.was, s.is)
			}
		})
	}
	all.Wait()
	sum := map[outcome]int{}
	for _, k := range kinds {
		c := count[k]
		for o, x := range c {
			sum[o] += x
		}
		if all := c[noticed] + c[survived]; all > 0 {
			fmt.Printf("%-22s %3d of %3d noticed, %3.0f %%\n", k, c[noticed], all, 100*float64(c[noticed])/float64(all))
		}
	}
	if all := sum[noticed] + sum[survived]; all > 0 {
		fmt.Printf("%-22s %3d of %3d noticed, %3.0f %% (%d did not compile)\n", "all", sum[noticed], all,
			100*float64(sum[noticed])/float64(all), sum[broken])
	}
	return err
}

// ask tests a slip. Tests that fail, or do not end, have noticed it.
func (s slip) ask(dir string, users map[string][]string, wait time.Duration) (outcome, error) {
	if err := os.Mkdir(dir, 0o700); err != nil {
		return "", err
	}
	text, err := os.ReadFile(s.file)
	if err != nil {
		return "", err
	}
	changed := filepath.Join(dir, "slip.go")
	if err := os.WriteFile(changed, slices.Concat(text[:s.from], []byte(s.is), text[s.to:]), 0o600); err != nil {
		return "", err
	}
	whole, err := filepath.Abs(s.file)
	if err != nil {
		return "", err
	}
	over, err := json.Marshal(map[string]any{"Replace": map[string]string{whole: changed}})
	if err != nil {
		return "", err
	}
	overlay := filepath.Join(dir, "overlay.json")
	if err := os.WriteFile(overlay, over, 0o600); err != nil {
		return "", err
	}
	own := "./" + filepath.ToSlash(filepath.Dir(s.file))
	if out, err := exec.Command("go", "build", "-overlay", overlay, own).CombinedOutput(); err != nil {
		if strings.Contains(string(out), "go: ") {
			return "", fmt.Errorf("%s: %s", s.file, out)
		}
		return broken, nil
	}
	for _, pkg := range append([]string{own}, users[own]...) { // its own tests are the nearest
		ctx, cancel := context.WithTimeout(context.Background(), wait)
		err := exec.CommandContext(ctx, "go", "test", "-overlay", overlay, "-failfast", pkg).Run()
		late := ctx.Err() != nil
		cancel()
		if err != nil || late {
			return noticed, nil
		}
	}
	return survived, nil
}

// importers lists for each package of the module those with tests that import it directly, tests included.
func importers() (map[string][]string, error) {
	out, err := exec.Command("go", "list", "-f", `{{.ImportPath}} {{len .TestGoFiles}}{{len .XTestGoFiles}} `+
		`{{join .Imports " "}} {{join .TestImports " "}} {{join .XTestImports " "}}`, "./...").Output()
	if err != nil {
		return nil, err
	}
	users := map[string][]string{}
	for _, line := range strings.Split(string(out), "\n") {
		f := strings.Fields(line)
		if len(f) < 3 || f[1] == "00" {
			continue
		}
		for _, used := range f[2:] {
			own, ours := strings.CutPrefix(used, "pandrel/")
			user := "./" + strings.TrimPrefix(f[0], "pandrel/")
			if own = "./" + own; ours && user != own && !slices.Contains(users[own], user) {
				users[own] = append(users[own], user)
			}
		}
	}
	return users, nil
}
