// Command mutate puts slips into the code, one at a time, and asks the tests whether they notice: a comparison or
// its edge, a number, a sign, a condition turned round, a finding that is not said. Nothing of it is written into the
// tree: the code goes to the compiler as an overlay in which each place is a call that can be switched, so that the
// tests are compiled once and each slip is one environment variable. What has to be a constant is compiled by itself.
// The tests of the slip's own package and of those that import it directly are asked, those that come by its place.
//
//	go run ./scripts/mutate -seed 7 -n 60 core        # sixty slips in core, drawn by seed 7
//	go run ./scripts/mutate -all core/bank/join       # each of them
//
// It is not part of the tests: it takes minutes, and a score is no verdict. Seeds and scores that were seen stand in
// docs/benchmarks.md.
package main

import (
	"cmp"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"sync"
	"time"
)

const module = "pandrel"

func main() {
	seed := flag.Uint64("seed", uint64(time.Now().UnixNano())%100_000, "of the draw")
	n := flag.Int("n", 60, "slips")
	whole := flag.Bool("all", false, "each slip, not a draw")
	beside := flag.Int("beside", 2, "slips asked at once")
	near := flag.Bool("near", false,
		"ask the tests of core alone for slips of core: quicker, and some survive that do not")
	alone := flag.Bool("alone", true, "also ask what has to be compiled by itself")
	flag.Parse()
	folders := flag.Args()
	if len(folders) == 0 {
		folders = []string{"core"}
	}
	if err := run(*seed, *n, *whole, *beside, *near, *alone, folders); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// outcome is what became of a slip.
type outcome string

const (
	noticed  outcome = "noticed"
	survived outcome = "survived"
	unseen   outcome = "not entered" // by any test; it survives, too
	broken   outcome = "does not compile"
)

func run(seed uint64, n int, whole bool, beside int, near, alone bool, folders []string) error {
	all, err := listed()
	if err != nil {
		return err
	}
	packages, err := weave(all, folders)
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp("", "slips-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	var drawn []slip
	for _, w := range packages {
		drawn = append(drawn, w.slips...)
	}
	places := len(drawn)
	if !whole {
		rng := rand.New(rand.NewPCG(seed, 22))
		rng.Shuffle(len(drawn), func(i, k int) { drawn[i], drawn[k] = drawn[k], drawn[i] })
		drawn = drawn[:min(n, len(drawn))]
	}
	fmt.Printf("seed %d: %d of %d slips in %s\n", seed, len(drawn), places, strings.Join(folders, ", "))
	a := &asker{all: all, dir: dir, near: near, beside: beside}
	if err := a.prepare(packages, drawn); err != nil {
		return err
	}
	state := map[int]bool{} // as the compiler took them
	for _, w := range packages {
		for _, s := range w.slips {
			state[s.id] = s.woven
		}
	}
	count, areas := tally[kind]{}, tally[string]{}
	var lock sync.Mutex
	inTurn(beside, drawn, func(s slip) {
		s.woven = state[s.id]
		if !s.woven && !alone {
			return
		}
		o := a.ask(s)
		lock.Lock()
		defer lock.Unlock()
		count.add(s.kind, o)
		areas.add(strings.Split(strings.TrimPrefix(s.pkg, "./"), "/")[0], o)
		if o == survived || o == unseen {
			fmt.Printf("%s: %s:%d %s: %s became %s\n", o, s.file, s.line, s.kind, s.was, s.is)
		}
	})
	report(count)
	for area, c := range areas {
		fmt.Printf("%-22s %3d of %3d noticed\n", area, c[noticed], c[noticed]+c[survived]+c[unseen])
	}
	return nil
}

// tally counts what became of slips.
type tally[K comparable] map[K]map[outcome]int

func (t tally[K]) add(of K, o outcome) {
	if t[of] == nil {
		t[of] = map[outcome]int{}
	}
	t[of][o]++
}

func report(count tally[kind]) {
	sum := map[outcome]int{}
	for _, k := range kinds {
		c := count[k]
		for o, x := range c {
			sum[o] += x
		}
		if all := c[noticed] + c[survived] + c[unseen]; all > 0 {
			fmt.Printf("%-22s %3d of %3d noticed, %3.0f %%\n", k, c[noticed], all, 100*float64(c[noticed])/float64(all))
		}
	}
	if all := sum[noticed] + sum[survived] + sum[unseen]; all > 0 {
		fmt.Printf("%-22s %3d of %3d noticed, %3.0f %% (%d entered by no test, %d did not compile)\n", "all",
			sum[noticed], all, 100*float64(sum[noticed])/float64(all), sum[unseen], sum[broken])
	}
}

// inTurn does a thing for each of a list, some at once.
func inTurn[T any](beside int, list []T, do func(T)) {
	var all sync.WaitGroup
	turn := make(chan struct{}, beside)
	for _, x := range list {
		turn <- struct{}{}
		all.Go(func() {
			defer func() { <-turn }()
			do(x)
		})
	}
	all.Wait()
}

// byTime orders tests: the quick ones are asked first.
func byTime(list []*aTest) {
	slices.SortFunc(list, func(a, b *aTest) int {
		return cmp.Or(cmp.Compare(a.took, b.took), strings.Compare(a.name, b.name))
	})
}
