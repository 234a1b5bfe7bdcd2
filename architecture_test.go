package pandrel

import (
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
)

// layer is how far out a folder lies. Arrows point inwards: a package may import only packages of
// a lower layer, and core packages only others named in below.
var layer = map[string]int{"core": 0, "store": 1, "exchange": 1, "draw": 1, "instrument": 1, "shop": 2, "demo": 3, "web": 3, "cmd": 4, "e2e": 4}

// below lists, for each core package, the core packages it may use.
var below = map[string][]string{
	"finding": {}, "numeral": {}, "chem": {},
	"layout": {"chem", "finding"}, "survey": {"chem", "finding", "numeral"}, "trace": {"chem", "finding"}, "grade": {"finding"},
	"match": {"finding"}, "bank": {"chem", "finding", "match"}, "balance": {"chem", "finding"}, "passage": {"finding"}, "commission": {"finding", "gates"}, "hazard": {"finding"}, "wiring": {"balance", "chem", "finding"}, "bms": {"chem", "finding"}, "pack": {"finding", "gates"}, "gates": {"finding"}, "service": {"finding", "gates"}, "face": {}, "look": {"finding"}, "teardown": {"finding"}, "variant": {"chem", "finding"}, "adapter": {"finding", "layout", "wiring"}, "practice": {"chem", "finding", "layout", "virtual"}, "build": {"finding", "wiring"}, "virtual": {"chem"},
}

// coreForbidden lists the standard packages that the core may not touch: no files, no network, no clock.
var coreForbidden = []string{"os", "net", "net/http", "database/sql", "io/fs", "path/filepath", "log", "log/slog", "os/exec", "html/template"}

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
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, parser.ImportsOnly)
		if err != nil {
			return err
		}
		for _, im := range f.Imports {
			name, _ := strconv.Unquote(im.Path.Value)
			if own == 0 {
				checkCore(t, path, from[1], name)
			}
			rest, ours := strings.CutPrefix(name, "pandrel/")
			if !ours {
				continue
			}
			to := strings.Split(rest, "/")[0]
			if own != 0 && layer[to] >= own {
				t.Errorf("%s imports %s: arrows point inwards", path, name)
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

func checkCore(t *testing.T, path, pkg, name string) {
	for _, bad := range coreForbidden {
		if name == bad {
			t.Errorf("%s imports %s: the core has no files, network or clock", path, name)
		}
	}
	if rest, ours := strings.CutPrefix(name, "pandrel/"); ours {
		to, isCore := strings.CutPrefix(rest, "core/")
		ok := false
		for _, b := range below[pkg] {
			ok = ok || b == to
		}
		if !isCore || !ok {
			t.Errorf("%s imports %s: not below core/%s", path, name, pkg)
		}
	} else if strings.Contains(name, ".") && !strings.HasPrefix(name, "gonum.org/") {
		t.Errorf("%s imports %s: the core uses gonum and the standard library", path, name)
	}
}
