package hazard_test

import (
	"flag"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"pandrel/core/procedure/commission"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/hazard"
	"pandrel/core/procedure/pack"
	"pandrel/core/procedure/standing"
)

var update = flag.Bool("update", false, "write docs/hazards.md again")

// top is the repository's folder, from here.
const top = "../../.."

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

// A hazard without a rule, an action that asks it, a page that shows it and a test that trips it is a gate that
// can be walked round.
func TestEveryHazardHasItsGates(t *testing.T) {
	router, shop := source(t, "web", false), source(t, "shop", false)
	names := map[string]bool{}
	for _, r := range hazard.List() {
		t.Run(r.Name, func(t *testing.T) {
			if names[r.Name] || r.Name == "" || strings.Contains(r.Name, " ") || r.Hazard == "" || r.Does == "" {
				t.Errorf("a row needs a short name of its own: %+v", r)
			}
			names[r.Name] = true
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

var refusal = regexp.MustCompile(`finding\.Refuse, (?:Code: )?"([a-z0-9-]+)"`)

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
		ServicePlug: true, Beside: []string{"another"}}
	steps("standing", append(standing.Down(b, 104), standing.Up(b, 52)...))
	for _, pkg := range []string{"passage", "survey", "trace", "wiring", "window", "plan", "bms", "variant", "gates",
		"layout", "grade", "match", "balance", "lead", "sense", "build", "pack", "standing"} {
		for _, m := range refusal.FindAllStringSubmatch(source(t, dirOf(t, pkg), false), -1) {
			want[pkg+":"+m[1]] = true
		}
	}
	got := map[string]bool{}
	for _, n := range hazard.Never() {
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

func TestTheDocumentIsMadeFromTheList(t *testing.T) {
	path := filepath.Join(top, "docs", "hazards.md")
	want := hazard.Markdown()
	if *update {
		if err := os.WriteFile(path, []byte(want), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	got, err := os.ReadFile(path)
	if err != nil || string(got) != want {
		t.Errorf("docs/hazards.md differs from the list: run this test with -update and look at it; %v", err)
	}
}

func ExampleList() {
	for _, r := range hazard.List()[:3] {
		fmt.Println(r.Name, r.Gates[0])
	}
	// Output:
	// shock limits:high-voltage
	// arc build:arc
	// loop wiring:loop-with-voltage
}
