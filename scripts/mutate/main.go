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
	var o options
	flag.Uint64Var(&o.seed, "seed", uint64(time.Now().UnixNano())%100_000, "of the draw")
	flag.IntVar(&o.n, "n", 60, "slips")
	flag.BoolVar(&o.whole, "all", false, "each slip, not a draw")
	flag.IntVar(&o.beside, "beside", 2, "slips asked at once")
	flag.BoolVar(&o.near, "near", false,
		"ask the tests of core alone for slips of core: quicker, and some survive that do not")
	flag.BoolVar(&o.alone, "alone", true, "also ask what has to be compiled by itself")
	flag.StringVar(&o.kind, "kind", "", "only slips whose kind begins so, such as edge or number")
	flag.Parse()
	o.folders = flag.Args()
	if len(o.folders) == 0 {
		o.folders = []string{"core"}
	}
	if err := run(o); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// options are what is asked, of which folders.
type options struct {
	seed               uint64
	n, beside          int
	whole, near, alone bool
	kind               string
	folders            []string
}

// outcome is what became of a slip.
type outcome string

const (
	noticed  outcome = "noticed"
	survived outcome = "survived"
	unseen   outcome = "not entered" // by any test; it survives, too
	broken   outcome = "does not compile"
)

func run(opt options) error {
	all, err := listed()
	if err != nil {
		return err
	}
	packages, err := weave(all, opt.folders)
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp("", "slips-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	drawn, places := draw(packages, opt)
	fmt.Printf("seed %d: %d of %d slips in %s\n", opt.seed, len(drawn), places, strings.Join(opt.folders, ", "))
	a := &asker{all: all, dir: dir, near: opt.near, beside: opt.beside}
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
	inTurn(opt.beside, drawn, func(s slip) {
		s.woven = state[s.id]
		if !s.woven && !opt.alone {
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

// draw picks the slips that are asked, out of so many places.
func draw(packages []*woven, opt options) (drawn []slip, places int) {
	for _, w := range packages {
		for _, s := range w.slips {
			if strings.HasPrefix(string(s.kind), opt.kind) {
				drawn = append(drawn, s)
			}
		}
	}
	places = len(drawn)
	if !opt.whole {
		rng := rand.New(rand.NewPCG(opt.seed, 22))
		rng.Shuffle(len(drawn), func(i, k int) { drawn[i], drawn[k] = drawn[k], drawn[i] })
		drawn = drawn[:min(opt.n, len(drawn))]
	}
	return drawn, places
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
