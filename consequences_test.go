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

// unnamed finds where a finding is made with a code that is no constant.
func unnamed(f *ast.File) (out []token.Pos) {
	text := func(e ast.Expr) {
		if lit, ok := e.(*ast.BasicLit); ok && lit.Kind == token.STRING {
			out = append(out, lit.Pos())
		}
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch x := n.(type) {
		case *ast.CallExpr:
			switch s, ok := x.Fun.(*ast.SelectorExpr); {
			case !ok || len(x.Args) == 0:
			case s.Sel.Name == "BlockedBy":
				text(x.Args[0])
			case s.Sel.Name == "New" && len(x.Args) == 2:
				if of, ok := s.X.(*ast.Ident); ok && of.Name == "finding" {
					text(x.Args[1])
				}
			}
		case *ast.CompositeLit:
			if s, ok := x.Type.(*ast.SelectorExpr); !ok || s.Sel.Name != "Finding" {
				break
			}
			for _, e := range x.Elts {
				if kv, ok := e.(*ast.KeyValueExpr); ok && kv.Key.(*ast.Ident).Name == "Code" {
					text(kv.Value)
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
			t.Errorf("%s: compares a judgement with a text: use the constant or a method of its package",
				set.Position(p))
		}
		for _, p := range unnamed(f) {
			t.Errorf("%s: the code of a finding stands here as a text: make it a constant of the package",
				set.Position(p))
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
		{"a code of a new finding", `var f = finding.New(finding.Stop, "low").About("group 1")`, 1},
		{"a code in a finding", `var f = finding.Finding{Level: finding.Stop, Code: "low"}`, 1},
		{"a code of what is blocked", `var err = kernel.BlockedBy("low", "a", "b", "c")`, 1},
		{"a named code", `var f = finding.New(finding.Stop, codeLow)`, 0},
		{"another field", `func f(x F) bool { return x.Name == "TRIKE-7" }`, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			f, err := parser.ParseFile(token.NewFileSet(), "x.go", "package x\n"+c.src, 0)
			if err != nil {
				t.Fatal(err)
			}
			if got := append(spelled(f), unnamed(f)...); len(got) != c.want {
				t.Errorf("found %d, expected %d", len(got), c.want)
			}
		})
	}
}
