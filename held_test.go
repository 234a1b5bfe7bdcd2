package pandrel

import (
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
)

// A stop that became a note, or stood against another limit, would let through what it is there to stop, with every
// test green that asks only whether something was said. Each stop and refuse of the core is held by a test of its own
// package: through findingtest.Holds, which asks for its level, what was measured, and its limit, or as a line of a
// whole answer in testdata, which has them all.

// codeLike is how codes are written; other texts may stand beside a level, too.
var codeLike = regexp.MustCompile(`^[a-z][a-z0-9-]*$`)

// stopsOf lists the codes that a file says as stops or refusals: in a call, or in a finding written out.
func stopsOf(f *ast.File, consts map[string]string) (out []string) {
	hard := func(e ast.Expr) bool {
		s, ok := e.(*ast.SelectorExpr)
		if !ok {
			return false
		}
		p, ok := s.X.(*ast.Ident)
		return ok && p.Name == "finding" && (s.Sel.Name == "Stop" || s.Sel.Name == "Refuse")
	}
	code := func(e ast.Expr) {
		switch e := e.(type) {
		case *ast.BasicLit:
			text, err := strconv.Unquote(e.Value)
			if err == nil && e.Kind == token.STRING && codeLike.MatchString(text) {
				out = append(out, text)
			}
		case *ast.Ident:
			if text := consts[e.Name]; text != "" {
				out = append(out, text)
			}
		case *ast.BinaryExpr: // the rest of it is worked out
			if lit, ok := e.X.(*ast.BasicLit); ok && lit.Kind == token.STRING {
				if text, err := strconv.Unquote(lit.Value); err == nil && codeLike.MatchString(text) {
					out = append(out, text)
				}
			}
		}
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.CallExpr:
			for i, a := range n.Args {
				if hard(a) && i+1 < len(n.Args) {
					code(n.Args[i+1])
				}
			}
		case *ast.AssignStmt: // of both at once
			if slices.ContainsFunc(n.Rhs, hard) {
				for _, x := range n.Rhs {
					code(x)
				}
			}
		case *ast.CompositeLit:
			var level, name ast.Expr
			for _, e := range n.Elts {
				kv, ok := e.(*ast.KeyValueExpr)
				if !ok {
					continue
				}
				switch k, _ := kv.Key.(*ast.Ident); {
				case k == nil:
				case k.Name == "Level":
					level = kv.Value
				case k.Name == "Code":
					name = kv.Value
				}
			}
			if level != nil && name != nil && hard(level) {
				code(name)
			}
		}
		return true
	})
	return out
}

// constsOf are the texts that a file names.
func constsOf(f *ast.File, into map[string]string) {
	for _, d := range f.Decls {
		g, ok := d.(*ast.GenDecl)
		if !ok || g.Tok != token.CONST {
			continue
		}
		for _, s := range g.Specs {
			v, ok := s.(*ast.ValueSpec)
			if !ok || v.Type != nil { // a text with a type of its own is a verdict or the like
				continue
			}
			for i, x := range v.Values {
				if lit, ok := x.(*ast.BasicLit); ok && lit.Kind == token.STRING && i < len(v.Names) {
					into[v.Names[i].Name], _ = strconv.Unquote(lit.Value)
				}
			}
		}
	}
}

// heldBy are the texts of a test file that holds findings.
func heldBy(f *ast.File) (out []string) {
	uses := slices.ContainsFunc(f.Imports, func(i *ast.ImportSpec) bool {
		return strings.HasSuffix(i.Path.Value, `/findingtest"`)
	})
	if !uses {
		return nil
	}
	ast.Inspect(f, func(n ast.Node) bool {
		if lit, ok := n.(*ast.BasicLit); ok && lit.Kind == token.STRING {
			if text, err := strconv.Unquote(lit.Value); err == nil {
				out = append(out, text)
			}
		}
		return true
	})
	return out
}

// writtenLine is how golden writes a stop or a refusal: level, code, subject, measured against limit, words, rule.
var writtenLine = regexp.MustCompile(
	`(?m)^[^|]*\b(?:stop|refuse) ([a-z][a-z0-9-]*)[^|\n]* \| [^|\n]+ \| [^|\n]+ \| .+$`)

// writtenBy are the stops and refusals of the whole answers that a package's tests compare.
func writtenBy(t *testing.T, dir string) (out []string) {
	files, err := filepath.Glob(filepath.Join(dir, "testdata", "*.txt"))
	if err != nil {
		t.Fatal(err)
	}
	for _, f := range files {
		text, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range writtenLine.FindAllSubmatch(text, -1) {
			out = append(out, string(m[1]))
		}
	}
	return out
}

func TestEveryStopIsHeld(t *testing.T) {
	files := map[string][]*ast.File{}
	tests := map[string][]*ast.File{}
	each(t, func(path, text string) {
		dir := filepath.ToSlash(filepath.Dir(path))
		if !strings.HasPrefix(dir, "core/") {
			return
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, text, 0)
		if err != nil {
			t.Fatal(err)
		}
		if strings.HasSuffix(path, "_test.go") {
			tests[dir] = append(tests[dir], f)
		} else {
			files[dir] = append(files[dir], f)
		}
	}, ".go")
	stops := 0
	for dir, list := range files {
		consts := map[string]string{}
		for _, f := range list {
			constsOf(f, consts)
		}
		held := map[string]bool{}
		for _, f := range tests[dir] {
			for _, text := range heldBy(f) {
				held[text] = true
			}
		}
		for _, text := range writtenBy(t, dir) {
			held[text] = true
		}
		var codes []string
		for _, f := range list {
			codes = append(codes, stopsOf(f, consts)...)
		}
		slices.Sort(codes)
		for _, c := range slices.Compact(codes) {
			if stops++; !held[c] {
				t.Errorf("no test of %s holds %s by its level, what was measured and its limit", dir, c)
			}
		}
	}
	if stops < 170 {
		t.Errorf("only %d stops seen: the test looks in the wrong place", stops)
	}
}
