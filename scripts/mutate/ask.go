package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"
)

// aTest is one test of a package's binary.
type aTest struct {
	binary, dir, pkg, name string
	took                   time.Duration
	hits                   map[int]bool
}

// asker has the tests of a draw, and knows which come by which place.
type asker struct {
	all    []*aPackage
	dir    string
	near   bool
	beside int
	tests  map[string][]*aTest // by folder
	users  map[string][]string
	lock   sync.Mutex
	n      int
}

// asked are the packages whose tests are asked for a slip of a folder: its own, and those that import it.
func (a *asker) asked(pkg string) []string {
	out := []string{pkg}
	for _, u := range a.users[pkg] {
		if !a.near || !strings.HasPrefix(pkg, "./core") || strings.HasPrefix(u, "./core") {
			out = append(out, u)
		}
	}
	return out
}

// prepare compiles the tests that a draw needs and has each say once by which places it comes.
func (a *asker) prepare(packages []*woven, drawn []slip) error {
	a.users, a.tests = map[string][]string{}, map[string][]*aTest{}
	where := map[string]*aPackage{}
	for _, p := range a.all {
		if p.rel == "" {
			continue
		}
		where[p.rel] = p
		for _, used := range slices.Concat(p.Imports, p.TestImports, p.XTestImports) {
			own, ours := strings.CutPrefix(used, module+"/")
			if own = "./" + own; ours && p.rel != own && !slices.Contains(a.users[own], p.rel) {
				a.users[own] = append(a.users[own], p.rel)
			}
		}
	}
	overlay, err := compiled(packages, a.dir)
	if err != nil {
		return err
	}
	var needed []string
	for _, s := range drawn {
		for _, p := range a.asked(s.pkg) {
			if !slices.Contains(needed, p) && len(where[p].TestGoFiles)+len(where[p].XTestGoFiles) > 0 {
				needed = append(needed, p)
			}
		}
	}
	inTurn(a.beside, needed, func(rel string) {
		tests, terr := a.compile(where[rel], overlay)
		a.lock.Lock()
		defer a.lock.Unlock()
		err = errors.Join(err, terr)
		a.tests[rel] = tests
	})
	if err != nil {
		return err
	}
	var every []*aTest
	for _, list := range a.tests {
		every = append(every, list...)
	}
	inTurn(a.beside, every, func(t *aTest) {
		terr := t.trace(filepath.Join(a.dir, fmt.Sprintf("trace-%p", t)))
		a.lock.Lock()
		defer a.lock.Unlock()
		err = errors.Join(err, terr)
	})
	return err
}

var listedTest = regexp.MustCompile(`^(Test|Example|Fuzz)`)

func (a *asker) compile(p *aPackage, overlay string) (out []*aTest, err error) {
	binary := filepath.Join(a.dir, strings.ReplaceAll(strings.TrimPrefix(p.rel, "./"), "/", "_")+".test")
	text, err := exec.Command("go", "test", "-c", "-overlay", overlay, "-o", binary, p.rel).CombinedOutput()
	if err != nil {
		return nil, fmt.Errorf("%s: %s", p.rel, text)
	}
	names, err := exec.Command(binary, "-test.list", ".").Output()
	if err != nil {
		return nil, err
	}
	for s := bufio.NewScanner(bytes.NewReader(names)); s.Scan(); {
		if listedTest.MatchString(s.Text()) {
			out = append(out, &aTest{binary: binary, dir: p.Dir, pkg: p.rel, name: s.Text()})
		}
	}
	return out, nil
}

// run runs tests of one binary, and reports whether they passed. A slip can make a loop that never ends or takes all
// memory: a test that does not end has noticed it.
func running(binary, dir, names string, wait time.Duration, env ...string) bool {
	ctx, cancel := context.WithTimeout(context.Background(), wait)
	defer cancel()
	cmd := exec.CommandContext(ctx, "/bin/sh", "-c", `ulimit -v 12000000; exec "$0" "$@"`, binary, "-test.failfast",
		"-test.run", names)
	cmd.Dir, cmd.Env = dir, append(os.Environ(), env...)
	cmd.WaitDelay = time.Second
	return cmd.Run() == nil
}

func (t *aTest) trace(file string) error {
	began := time.Now()
	if !running(t.binary, t.dir, "^"+t.name+"$", 10*time.Minute, "SLIP_TRACE="+file) {
		return fmt.Errorf("%s of %s fails with no slip at all", t.name, t.pkg)
	}
	t.took = time.Since(began)
	text, err := os.ReadFile(file)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	t.hits = map[int]bool{}
	for _, line := range bytes.Fields(text) {
		id := 0
		if _, err := fmt.Sscan(string(line), &id); err != nil {
			return err
		}
		t.hits[id] = true
	}
	return err
}

// ask asks the tests that come by a slip's place. Several short ones go together.
func (a *asker) ask(s slip) outcome {
	if !s.woven {
		return a.askAlone(s)
	}
	var near, far []*aTest
	for _, pkg := range a.asked(s.pkg) {
		for _, t := range a.tests[pkg] {
			switch {
			case !t.hits[s.id]:
			case pkg == s.pkg:
				near = append(near, t)
			default:
				far = append(far, t)
			}
		}
	}
	if len(near)+len(far) == 0 {
		return unseen
	}
	byTime(near)
	byTime(far)
	for _, list := range [][]*aTest{near, far} {
		for n := 0; len(list) > 0; n++ {
			// Those that notice are most often among the quickest. Behind them a process for all costs less than
			// one for each: many tests begin with the same work.
			most := time.Second
			if n > 2 {
				most = time.Hour
			}
			took, names, k := list[0].took, []string{list[0].name}, 1
			for k < len(list) && list[k].binary == list[0].binary && took+list[k].took < most {
				took += list[k].took
				names = append(names, list[k].name)
				k++
			}
			if !running(list[0].binary, list[0].dir, "^("+strings.Join(names, "|")+")$", 10*time.Second+5*took,
				fmt.Sprint("SLIP=", s.id)) {
				return noticed
			}
			list = list[k:]
		}
	}
	return survived
}

// askAlone compiles a slip by itself.
func (a *asker) askAlone(s slip) outcome {
	a.lock.Lock()
	a.n++
	dir := filepath.Join(a.dir, fmt.Sprint("alone-", a.n))
	a.lock.Unlock()
	overlay, err := s.overlay(dir)
	if err != nil {
		return broken
	}
	if exec.Command("go", "build", "-overlay", overlay, s.pkg).Run() != nil {
		return broken
	}
	for _, pkg := range a.asked(s.pkg) {
		if len(a.tests[pkg]) == 0 {
			continue
		}
		if exec.Command("go", "test", "-overlay", overlay, "-failfast", "-timeout", "4m", pkg).Run() != nil {
			return noticed
		}
	}
	return survived
}

func (s slip) overlay(dir string) (string, error) {
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
	return overlay, os.WriteFile(overlay, over, 0o600)
}
