package pandrel

import (
	"go/ast"
	"go/parser"
	"go/token"
	"slices"
	"strings"
	"testing"
)

// A judgement is a value of the package that makes it. Who compares its code or its word with a text elsewhere acts on
// a spelling, and falls silent the day the spelling changes: the field, the constant or the method of the owner does
// not.
var judged = []string{"Code", "Verdict", "Outcome", "Station", "Isolation", "Trouble", "Phase"}

// spelled finds where a judgement is compared with a text, or a finding's code with anything.
func spelled(f *ast.File) (out []token.Pos) {
	text := func(e ast.Expr) bool {
		lit, ok := e.(*ast.BasicLit)
		return ok && lit.Kind == token.STRING && lit.Value != `""`
	}
	name := func(e ast.Expr) string {
		if s, ok := e.(*ast.SelectorExpr); ok {
			return s.Sel.Name
		}
		return ""
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch x := n.(type) {
		case *ast.BinaryExpr:
			if x.Op != token.EQL && x.Op != token.NEQ {
				break
			}
			for _, side := range [][2]ast.Expr{{x.X, x.Y}, {x.Y, x.X}} {
				if slices.Contains(judged, name(side[0])) && text(side[1]) {
					out = append(out, x.Pos())
				}
			}
		case *ast.IndexExpr: // a list of codes kept somewhere
			if name(x.Index) == "Code" {
				out = append(out, x.Pos())
			}
		case *ast.SwitchStmt:
			if !slices.Contains(judged, name(x.Tag)) {
				break
			}
			for _, c := range x.Body.List {
				if slices.ContainsFunc(c.(*ast.CaseClause).List, text) {
					out = append(out, c.Pos())
				}
			}
		}
		return true
	})
	return out
}

func TestConsequencesAreValues(t *testing.T) {
	each(t, func(path, src string) {
		if strings.HasSuffix(path, "_test.go") || strings.HasPrefix(path, "e2e/") {
			return
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, src, 0)
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range spelled(f) {
			if inCore := strings.HasPrefix(path, "core/"); !inCore {
				t.Errorf("%s: compares a judgement with a text: use the constant or a method of its package",
					set.Position(p))
			}
		}
	}, ".go")
}

func TestSpelledJudgementsAreSeen(t *testing.T) {
	for _, c := range []struct {
		name, src string
		want      int
	}{
		{"a code", `func f(x F) bool { return x.Code == "missing" }`, 1},
		{"turned round", `func f(x F) bool { return "stop" != x.Verdict }`, 1},
		{"a switch", `func f(x F) { switch x.Outcome { case "go": case "stop", "scrap": } }`, 2},
		{"a list of codes", `func f(x F) bool { return stops[x.Code] }`, 1},
		{"a constant", `func f(x F) bool { return x.Verdict == survey.OK }`, 0},
		{"nothing judged yet", `func f(x F) bool { return x.Verdict == "" }`, 0},
		{"another field", `func f(x F) bool { return x.Name == "TRIKE-7" }`, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			f, err := parser.ParseFile(token.NewFileSet(), "x.go", "package x\n"+c.src, 0)
			if err != nil {
				t.Fatal(err)
			}
			if got := spelled(f); len(got) != c.want {
				t.Errorf("found %d, expected %d", len(got), c.want)
			}
		})
	}
}
