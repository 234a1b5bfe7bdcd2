package pandrel

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// What a file, a function and a package may grow to before somebody reads it less well than it should be read.
const (
	widestLine       = 120 // characters, a tab counted as four
	longestFunction  = 60  // lines
	mostBranches     = 20  // cyclomatic complexity, after McCabe
	longestPackage   = 2500
	reason           = "In one piece: " // a doc comment that begins a sentence with this says why a function is longer
	leastReasonWords = 4
)

// each calls f for every file of the project with one of the endings, outside what is not its own.
func each(t *testing.T, f func(path, text string), endings ...string) {
	t.Helper()
	err := filepath.WalkDir(".", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() {
			switch d.Name() {
			case "node_modules", ".git", "testdata", "vendor", "bin", "test-results":
				return filepath.SkipDir
			}
			return nil
		}
		for _, e := range endings {
			if strings.HasSuffix(path, e) {
				text, err := os.ReadFile(path)
				if err != nil {
					return err
				}
				f(filepath.ToSlash(path), string(text))
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

func width(line string) int {
	n := 0
	for _, r := range line {
		if r == '\t' {
			n += 3
		}
		n++
	}
	return n
}

// tag is a field with the tags that say how a working asks for it.
var tag = regexp.MustCompile("^\t\\w+ +[\\w.\\[\\]]+ +`key:\".*`$")

func TestLinesCanBeRead(t *testing.T) {
	files := 0
	each(t, func(path, text string) {
		files++
		for i, line := range strings.Split(text, "\n") {
			if tag.MatchString(line) { // the tags of a field are one string, and cannot be parted
				continue
			}
			if w := width(line); w > widestLine {
				t.Errorf("%s:%d: %d characters: expected at most %d", path, i+1, w, widestLine)
			}
		}
	}, ".go", ".html", ".sql")
	if files < 200 {
		t.Errorf("only %d files seen: the test looks in the wrong place", files)
	}
}

// mostParameters is how many a function or a literal takes; more of them are a struct, or say why.
const (
	mostParameters = 6
	whyParameters  = "So many parameters: "
)

func TestFunctionsTakeFewParameters(t *testing.T) {
	seen := 0
	each(t, func(path, text string) {
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, text, parser.ParseComments)
		if err != nil {
			t.Fatal(err)
		}
		check := func(ft *ast.FuncType, name, doc string) {
			n := 0
			for _, p := range ft.Params.List {
				n += max(1, len(p.Names))
			}
			if seen++; n > mostParameters && !strings.Contains(doc, whyParameters) {
				t.Errorf("%s: %s takes %d: expected at most %d, or a sentence with %q", set.Position(ft.Pos()), name, n,
					mostParameters, whyParameters)
			}
		}
		ast.Inspect(f, func(n ast.Node) bool {
			switch x := n.(type) {
			case *ast.FuncDecl:
				check(x.Type, x.Name.Name, x.Doc.Text())
			case *ast.FuncLit:
				check(x.Type, "a literal", "")
			}
			return true
		})
	}, ".go")
	if seen < 2000 {
		t.Errorf("only %d functions seen: the test looks in the wrong place", seen)
	}
}

func TestFunctionsAndPackagesStaySmall(t *testing.T) {
	packages := map[string]int{}
	each(t, func(path, text string) {
		if strings.HasSuffix(path, "_test.go") {
			return
		}
		packages[filepath.Dir(path)] += strings.Count(text, "\n")
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, text, parser.ParseComments)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok || fn.Body == nil {
				continue
			}
			lines := set.Position(fn.End()).Line - set.Position(fn.Pos()).Line + 1
			branches := branches(fn)
			long := lines > longestFunction || branches > mostBranches
			if !long && excused(fn) {
				t.Errorf("%s: %s says why it is in one piece, and is as short as any", set.Position(fn.Pos()),
					fn.Name.Name)
			}
			if long && !excused(fn) {
				t.Errorf("%s: %s has %d lines and %d branches: expected at most %d and %d, or a sentence with %q",
					set.Position(fn.Pos()), fn.Name.Name, lines, branches, longestFunction, mostBranches, reason)
			}
		}
	}, ".go")
	for dir, lines := range packages {
		t.Run(dir, func(t *testing.T) {
			if lines > longestPackage {
				t.Errorf("%s has %d lines: expected at most %d", dir, lines, longestPackage)
			}
		})
	}
}

// excused reports whether a function's comment says why it is in one piece.
func excused(fn *ast.FuncDecl) bool {
	_, why, ok := strings.Cut(strings.ReplaceAll(fn.Doc.Text(), "\n", " "), reason)
	return ok && len(strings.Fields(why)) >= leastReasonWords
}

// branches is the cyclomatic complexity of a function: one, and one more for each place where it may go two ways.
func branches(fn *ast.FuncDecl) int {
	n := 1
	ast.Inspect(fn, func(x ast.Node) bool {
		switch x := x.(type) {
		case *ast.IfStmt, *ast.ForStmt, *ast.RangeStmt:
			n++
		case *ast.CaseClause:
			if x.List != nil {
				n++
			}
		case *ast.CommClause:
			if x.Comm != nil {
				n++
			}
		case *ast.BinaryExpr:
			if x.Op == token.LAND || x.Op == token.LOR {
				n++
			}
		}
		return true
	})
	return n
}

// The count itself is tested: a count that sees nothing passes everything.
func TestBranchesAreCounted(t *testing.T) {
	for _, c := range []struct {
		name, body string
		want       int
	}{
		{"straight on", "x := 1; _ = x", 1},
		{"if and and", "if a && b { return }", 3},
		{"loops", "for range 3 { for i := 0; i < 3; i++ {} }", 3},
		{"a switch with a default", "switch a { case 1: case 2: default: }", 3},
		{"inside a function value", "f := func() { if a {} }; f()", 2},
	} {
		t.Run(c.name, func(t *testing.T) {
			f, err := parser.ParseFile(token.NewFileSet(), "x.go", "package x\nfunc f() {"+c.body+"}", 0)
			if err != nil {
				t.Fatal(err)
			}
			if got := branches(f.Decls[0].(*ast.FuncDecl)); got != c.want {
				t.Errorf("%d, expected %d", got, c.want)
			}
		})
	}
}
