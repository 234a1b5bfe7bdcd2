package docs_test

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"pandrel/core/procedure/commission"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/pack"
	"pandrel/core/procedure/standing"
	"pandrel/docs"
)

// top is the repository's folder, from here.
const top = ".."

// source joins the Go files of a directory and all below it, tests or others.
func source(t *testing.T, dir string, tests bool) string {
	t.Helper()
	var b strings.Builder
	files := 0
	err := filepath.WalkDir(filepath.Join(top, dir), func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") != tests {
			return err
		}
		files++
		data, err := os.ReadFile(path)
		b.Write(data)
		return err
	})
	if err != nil || files == 0 {
		t.Fatalf("%s: %d files, %v", dir, files, err)
	}
	return b.String()
}

// dirOf finds a package of the core by its name; the shop and the web are folders of packages.
func dirOf(t *testing.T, pkg string) string {
	t.Helper()
	if pkg == "shop" || pkg == "web" {
		return pkg
	}
	found, err := filepath.Glob(filepath.Join(top, "core", "*", pkg))
	if err != nil || len(found) != 1 {
		t.Fatalf("package %s lies in %v, %v", pkg, found, err)
	}
	dir, err := filepath.Rel(top, found[0])
	if err != nil {
		t.Fatal(err)
	}
	return dir
}

// row is one hazard as docs/hazards.md lists it. Gates are package:code, a finding's code or a gate's key in that
// package of the core; Asked are actions of the shop that refuse while one stands; Pages are routes; Tests are
// package.Test.
type row struct {
	Name, Hazard, Does         string
	Gates, Asked, Pages, Tests []string
}

var quoted = regexp.MustCompile("`([^`]+)`")

// listed reads the hazards, and what nobody passes over.
func listed(t *testing.T) (rows []row, never []string) {
	t.Helper()
	codes := func(cell string) (out []string) {
		for _, m := range quoted.FindAllStringSubmatch(cell, -1) {
			out = append(out, m[1])
		}
		return out
	}
	at := map[string]int{}
	for line := range strings.SplitSeq(string(docs.Hazards), "\n") {
		cells := strings.Split(strings.Trim(line, "| "), " | ")
		switch {
		case strings.HasPrefix(line, "- `"):
			never = append(never, codes(line)...)
		case !strings.HasPrefix(line, "| ") || cells[0] == "name":
		case len(cells) == 3:
			if _, twice := at[cells[0]]; twice {
				t.Errorf("%s is listed twice", cells[0])
			}
			at[cells[0]] = len(rows)
			rows = append(rows, row{Name: cells[0], Hazard: cells[1], Does: cells[2]})
		case len(cells) == 5:
			i, ok := at[cells[0]]
			if !ok {
				t.Fatalf("%s is held and no hazard", cells[0])
			}
			r := &rows[i]
			r.Gates, r.Asked, r.Pages, r.Tests = codes(cells[1]), codes(cells[2]), codes(cells[3]), codes(cells[4])
		default:
			t.Errorf("a line that is not read: %.60s", line)
		}
	}
	if len(rows) < 30 || len(never) < 40 {
		t.Fatalf("%d hazards, %d that nobody passes over: the document was cut", len(rows), len(never))
	}
	return rows, never
}

// A hazard without a rule, an action that asks it, a page that shows it and a test that trips it is a gate that
// can be walked round.
func TestEveryHazardHasItsGates(t *testing.T) {
	router, shop := source(t, "web", false), source(t, "shop", false)
	rows, _ := listed(t)
	for _, r := range rows {
		t.Run(r.Name, func(t *testing.T) {
			if strings.Contains(r.Name, " ") || r.Hazard == "" || r.Does == "" {
				t.Errorf("a row needs a short name, a hazard and what is done: %+v", r)
			}
			if len(r.Gates) == 0 || len(r.Asked) == 0 || len(r.Pages) == 0 || len(r.Tests) == 0 {
				t.Errorf("no gate, no action, no page or no test: %+v", r)
			}
			for _, g := range r.Gates {
				pkg, code, _ := strings.Cut(g, ":")
				if !strings.Contains(source(t, dirOf(t, pkg), false), fmt.Sprintf("%q", code)) {
					t.Errorf("package %s has no rule %s", pkg, code)
				}
			}
			for _, m := range r.Asked {
				if !strings.Contains(shop, "func (s *Room) "+m+"(") {
					t.Errorf("shop has no action %s", m)
				}
			}
			for _, p := range r.Pages {
				if !strings.Contains(router, fmt.Sprintf("e.GET(%q", p)) {
					t.Errorf("no page %s", p)
				}
			}
			tripped := false
			for _, x := range r.Tests {
				pkg, name, _ := strings.Cut(x, ".")
				tests := source(t, dirOf(t, pkg), true)
				if !strings.Contains(tests, "func "+name+"(") {
					t.Errorf("no test %s", x)
				}
				for _, g := range r.Gates {
					_, code, _ := strings.Cut(g, ":")
					tripped = tripped || strings.Contains(tests, fmt.Sprintf("%q", code))
				}
			}
			if !tripped {
				t.Errorf("none of %v speaks of %v", r.Tests, r.Gates)
			}
		})
	}
}

// refusal is a finding that refuses, with the name of its code, and codeOf what such a name stands for.
var (
	refusal = regexp.MustCompile(`finding\.Refuse,\s+([a-zA-Z]\w*)[),]`)
	codeOf  = regexp.MustCompile(`(?m)^\s*(?:const )?(\w+)\s*= "([a-z0-9-]+)"$`)
)

// The list of what nobody passes over is what the packages say: every gate without a way round, every refusal.
func TestWhatNobodyPassesOver(t *testing.T) {
	want := map[string]bool{}
	steps := func(pkg string, list []gates.Step) {
		for _, s := range list {
			if s.Must {
				want[pkg+":"+s.Key] = true
			}
		}
	}
	steps("commission", commission.Steps(commission.Bank{FullVolts: 88, TouchVolts: 60, NowVolts: 80, Strings: 2,
		FreezesHere: true, Cautions: 1, Untested: 1, DeviceOpen: true, Beside: "another", DeviceVolts: 80,
		TripVolts: 78}))
	p := pack.Pack{Volts: []float64{50, 50, 50}, DisconnectAfter: 1}
	plan, err := pack.Split(p)
	if err != nil {
		t.Fatal(err)
	}
	steps("pack", pack.Steps(p, plan))
	b := standing.Bank{NominalVolts: 96, FullVolts: 110, Strings: 2, Solar: true, Mains: true, Plug: true,
		ServicePlug: true, Groups: 30, PartsAfter: 12, Beside: []standing.Other{{Name: "another", Key: "joined-2"}}}
	steps("standing", append(standing.Down(b, 104), standing.Up(b, 52)...))
	for _, pkg := range []string{"passage", "survey", "trace", "wiring", "window", "plan", "bms", "variant", "gates",
		"layout", "grade", "match", "balance", "lead", "sense", "build", "pack", "standing"} {
		src, code := source(t, dirOf(t, pkg), false), map[string]string{}
		for _, m := range codeOf.FindAllStringSubmatch(src, -1) {
			code[m[1]] = m[2]
		}
		for _, m := range refusal.FindAllStringSubmatch(src, -1) {
			if code[m[1]] == "" {
				t.Fatalf("%s refuses by %s, which names no code", pkg, m[1])
			}
			want[pkg+":"+code[m[1]]] = true
		}
	}
	got := map[string]bool{}
	_, never := listed(t)
	for _, n := range never {
		got[n] = true
		if !want[n] {
			t.Errorf("%s is listed, and may be passed over", n)
		}
	}
	for n := range want {
		t.Run(n, func(t *testing.T) {
			if !got[n] {
				t.Errorf("%s may never be passed over, and is not listed", n)
			}
		})
	}
}
