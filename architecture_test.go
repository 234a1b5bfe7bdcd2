package pandrel

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// layer is how far out a folder lies. Arrows point inwards: a package may import only packages of
// a lower layer; within core and shop, and from store, only those that rooms names.
var layer = map[string]int{
	"core": 0, "store": 1, "exchange": 1, "draw": 1, "instrument": 1, "golden": 1, "docs": 1, "shop": 2,
	"demo": 3, "web": 3, "cmd": 4, "e2e": 4, "scripts": 4,
}

// rooms lists for each room what it may use beside itself: a whole room of the core, or a room of the shop or the web.
// Within a room of the core, packages may use each other as below says.
var rooms = map[string][]string{
	"core/base":      {},
	"core/module":    {"core/base"},
	"core/test":      {"core/base", "core/module", "core/bench", "core/bank"},
	"core/bank":      {"core/base", "core/module"},
	"core/procedure": {"core/base", "core/module", "core/bank"},
	"core/trainer":   {"core/base", "core/module"},
	"core/bench":     {"core/base"},
	"core/working":   {"core/base", "core/module", "core/bank", "core/bench"},

	"shop/kernel":    {},
	"shop/record":    {"shop/kernel"},
	"shop/undo":      {"shop/kernel", "shop/record"},
	"shop/receive":   {"shop/kernel", "shop/record"},
	"shop/measure":   {"shop/kernel", "shop/record", "shop/receive"},
	"shop/bench":     {"shop/kernel", "shop/record"},
	"shop/test":      {"shop/kernel", "shop/record", "shop/bench"},
	"shop/grade":     {"shop/kernel", "shop/record"},
	"shop/types":     {"shop/kernel", "shop/record", "shop/measure"},
	"shop/bank":      {"shop/kernel", "shop/record"},
	"shop/floor":     {"shop/kernel", "shop/record", "shop/bank", "shop/procedure"},
	"shop/steps":     {"shop/kernel", "shop/record"},
	"shop/regroup":   {"shop/kernel", "shop/record", "shop/steps", "shop/receive", "shop/types", "shop/test"},
	"shop/procedure": {"shop/kernel", "shop/record", "shop/steps", "shop/receive", "shop/bank"},
	"shop/start":     {"shop/kernel", "shop/record", "shop/receive", "shop/types", "shop/bank"},
	"shop/working":   {"shop/kernel", "shop/record", "shop/bank", "shop/procedure"},
	"shop/desk":      {"shop/kernel", "shop/record", "shop/test", "shop/bank", "shop/procedure"},

	"web/door":      {},
	"web/number":    {},
	"web/choice":    {},
	"web/frame":     {"web/door", "web/number", "web/choice"},
	"web/sketch":    {"web/frame"},
	"web/desk":      {"web/frame", "web/number"},
	"web/receive":   {"web/frame", "web/sketch"},
	"web/types":     {"web/choice", "web/frame", "web/sketch"},
	"web/measure":   {"web/frame", "web/sketch"},
	"web/test":      {"web/door", "web/frame"},
	"web/eyes":      {"web/door", "web/frame"},
	"web/module":    {"web/frame", "web/choice", "web/sketch", "web/measure"},
	"web/bank":      {"web/frame", "web/choice", "web/procedure"},
	"web/floor":     {"web/frame", "web/choice"},
	"web/procedure": {"web/frame", "web/choice"},
	"web/trainer":   {"web/frame"},
	"web/working":   {"web/frame"},

	"demo/sample": {"demo"},
}

// below lists, for a package of a core room, which of its own room it may use; none where it is not listed.
var below = map[string][]string{
	"core/module/lead":    {"layout", "sense"},
	"core/module/check":   {"layout"},
	"core/module/declare": {"layout"},
	"core/module/layout":  {"isolation"},
	"core/test/trace":     {"logfile", "noted"},
	"core/test/logview":   {"logfile", "trace"},
	"core/test/kind":      {"condition", "logfile", "noted", "trace"},
	"core/module/passage": {"capacity", "grade", "isolation", "survey"},
	"core/bank/ways":      {"sizing"},
	"core/bank/window":    {"match"},
	"core/bank/whole":     {"balance"},
	"core/bank/wiring":    {"balance", "currents", "netlist", "network", "sequence"},
	"core/bank/currents":  {"netlist", "network"},
	"core/bank/netlist":   {"network", "sizing"},
	"core/bank/build":     {"netlist", "wiring"},
	"core/bank/change":    {"floor", "netlist", "network", "wiring"},
	"core/bank/mount":     {"sizing"},
	"core/bank/floor":     {"netlist", "network", "sizing", "wiring"},
	"core/bank/plan": {"balance", "bms", "build", "floor", "join", "match", "mount", "netlist", "unsure", "ways",
		"window",
		"wiring"},
	"core/test/byhand":          {"fall", "run", "testplan"},
	"core/bench/kit":            {"load"},
	"core/procedure/assembly":   {"gates"},
	"core/procedure/commission": {"gates"},
	"core/procedure/pack":       {"gates"},
	"core/procedure/standing":   {"gates"},
	"core/procedure/regroup":    {"gates"},
	"core/test/testplan":        {"fall"},
	"core/bench/schedule":       {"kit"},
	"core/test/run":             {"testplan"},
	"core/trainer/practice":     {"virtual"},
	"core/working":              {"place", "shelf"},
	"core/base/chem":            {"numeral"},
	"core/base/finding":         {"figure", "known"},
	"core/base/ask":             {"chart", "chem", "figure", "finding", "known", "numeral"},

	"core/base/finding/findingtest": {"finding"},
	"core/bank/floor/floortest":     {"floor", "netlist"},
	"scripts/load":                  {"harm"},
}

// coreForbidden lists the standard packages that the core may not touch: no files, no network, no clock.
var coreForbidden = []string{"os", "net", "net/http", "database/sql", "io/fs", "path/filepath", "log", "log/slog",
	"os/exec", "html/template", "runtime", "sync", "sync/atomic", "context", "crypto/rand", "math/rand", "unsafe",
	"syscall"}

// clocked are the functions of package time that ask the machine's clock or wait for it.
var clocked = map[string]bool{"Now": true, "Since": true, "Until": true, "After": true, "AfterFunc": true,
	"Tick": true, "NewTicker": true, "NewTimer": true, "Sleep": true}

// seeded are the functions of math/rand/v2 that need a source of the caller's; all others draw from a hidden one.
var seeded = map[string]bool{"New": true, "NewPCG": true, "NewChaCha8": true, "NewZipf": true, "Rand": true,
	"Source": true, "PCG": true}

func TestArrowsPointInwards(t *testing.T) {
	files := 0
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git" || d.Name() == "testdata") {
			return filepath.SkipDir
		}
		if !strings.HasSuffix(path, ".go") || path == "doc.go" || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		files++
		from := strings.Split(filepath.ToSlash(path), "/")
		own, ok := layer[from[0]]
		if !ok {
			t.Errorf("%s lies in no known folder", path)
			return nil
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, nil, 0)
		if err != nil {
			return err
		}
		if own == 0 {
			for _, bad := range hidden(f) {
				t.Errorf("%s: %s: the core has no clock, no hidden randomness and no goroutines",
					set.Position(bad.pos), bad.what)
			}
		}
		for _, im := range f.Imports {
			name, _ := strconv.Unquote(im.Path.Value)
			if own == 0 {
				checkCore(t, path, name)
			}
			rest, ours := strings.CutPrefix(name, "pandrel/")
			if !ours {
				continue
			}
			to := strings.Split(rest, "/")
			if own != layer[to[0]] && layer[to[0]] > own || own == layer[to[0]] && from[0] != to[0] {
				t.Errorf("%s imports %s: arrows point inwards", path, name)
			}
			if from[0] == to[0] && len(from) > 2 && !mayUse(from[:len(from)-1], to) {
				t.Errorf("%s imports %s: not below %s", path, name, strings.Join(from[:2], "/"))
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if files < 20 {
		t.Errorf("only %d files seen: the test looks in the wrong place", files)
	}
}

// mayUse reports whether one package of a layer may import another.
func mayUse(from, to []string) bool {
	room, other := strings.Join(from[:2], "/"), strings.Join(to[:min(2, len(to))], "/")
	if room != other {
		return slices.Contains(rooms[room], other)
	}
	return slices.Contains(below[strings.Join(from, "/")], to[len(to)-1])
}

func checkCore(t *testing.T, path, name string) {
	t.Helper()
	if slices.Contains(coreForbidden, name) {
		t.Errorf("%s imports %s: the core has no files, network or clock", path, name)
	}
	if strings.Contains(name, ".") && !strings.HasPrefix(name, "gonum.org/") {
		t.Errorf("%s imports %s: the core uses gonum and the standard library", path, name)
	}
}

type hiddenUse struct {
	pos  token.Pos
	what string
}

// hidden finds what makes a function's result depend on more than its arguments: the clock, randomness without
// a source of the caller's, goroutines, and locals of time zones.
func hidden(f *ast.File) (out []hiddenUse) {
	names := map[string]string{} // local name → path
	for _, im := range f.Imports {
		path, _ := strconv.Unquote(im.Path.Value)
		name := path[strings.LastIndexByte(path, '/')+1:]
		if path == "math/rand/v2" {
			name = "rand"
		}
		if im.Name != nil {
			name = im.Name.Name
		}
		names[name] = path
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch x := n.(type) {
		case *ast.GoStmt:
			out = append(out, hiddenUse{x.Pos(), "a goroutine"})
		case *ast.SelectStmt:
			out = append(out, hiddenUse{x.Pos(), "a select"})
		case *ast.SelectorExpr:
			id, ok := x.X.(*ast.Ident)
			if !ok || id.Obj != nil {
				return true
			}
			switch path := names[id.Name]; {
			case path == "time" && (clocked[x.Sel.Name] || x.Sel.Name == "Local"), path == "math/rand/v2" &&
				!seeded[x.Sel.Name]:
				out = append(out, hiddenUse{x.Pos(), id.Name + "." + x.Sel.Name})
			}
		}
		return true
	})
	return out
}

// The look itself is tested: a test that sees nothing passes on everything.
func TestHiddenUsesAreSeen(t *testing.T) {
	for _, c := range []struct {
		src  string
		want int
	}{
		{`import "time"; func f() { _ = time.Now() }`, 1},
		{`import clock "time"; func f() { _ = clock.Since(clock.Time{}) }`, 1},
		{`import "math/rand/v2"; func f() { _ = rand.IntN(3); _ = rand.New(rand.NewPCG(1, 2)) }`, 1},
		{`func f() { go func() {}() }`, 1},
		{`import "time"; func f(at time.Time) bool { return at.After(at) }`, 0},
		{`func f(time struct{ Now int }) int { return time.Now }`, 0},
	} {
		t.Run(c.src, func(t *testing.T) {
			f, err := parser.ParseFile(token.NewFileSet(), "x.go", "package x\n"+c.src, 0)
			if err != nil {
				t.Fatal(err)
			}
			if got := hidden(f); len(got) != c.want {
				t.Errorf("%s: %v", c.src, got)
			}
		})
	}
}
