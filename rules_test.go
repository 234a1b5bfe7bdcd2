package pandrel

import (
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"pandrel/core/base/finding"
)

// heading is a section of docs/rules.md.
var heading = regexp.MustCompile(`(?m)^## (\d+) .+$`)

// cites is a text that names rules.
var cites = regexp.MustCompile(`rules? §|^hazards\b|^rules\b`)

// Each section that code, comments and pages name stands in docs/rules.md, and what a finding goes by is a section or a
// hazard: nobody is sent to a paper that is not there.
func TestEachRuleThatIsNamedStandsInTheRules(t *testing.T) {
	paper, err := os.ReadFile("docs/rules.md")
	if err != nil {
		t.Fatal(err)
	}
	known := map[string]bool{finding.Hazards: true}
	for _, m := range heading.FindAllStringSubmatch(string(paper), -1) {
		known[m[1]] = true
	}
	named := map[string]int{}
	check := func(where, text string) {
		for _, c := range finding.Cite(text) {
			if named[c.Section]++; c.Section != "" && !known[c.Section] {
				t.Errorf("%s: %q: docs/rules.md has no section %s", where, text, c.Section)
			}
		}
	}
	walk := func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			if d != nil && (d.Name() == "node_modules" || d.Name() == ".git" || d.Name() == "testdata") {
				return filepath.SkipDir
			}
			return err
		}
		switch {
		case strings.HasSuffix(path, ".html"):
			text, err := os.ReadFile(path)
			for _, m := range regexp.MustCompile(`/rules#s(\d+)`).FindAllStringSubmatch(string(text), -1) {
				check(path, "§"+m[1])
			}
			return err
		case !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go"):
			return nil
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, nil, parser.ParseComments)
		if err != nil {
			return err
		}
		for _, g := range f.Comments {
			if text := g.Text(); cites.MatchString(text) && strings.Contains(text, "§") {
				check(set.Position(g.Pos()).String(), text)
			}
		}
		ast.Inspect(f, func(n ast.Node) bool {
			if l, ok := n.(*ast.BasicLit); ok && l.Kind == token.STRING {
				if text, err := strconv.Unquote(l.Value); err == nil && cites.MatchString(text) {
					check(set.Position(l.Pos()).String(), text)
				}
			}
			return true
		})
		for _, text := range rulesOf(f) {
			if cited := finding.Cite(text); !hasSection(cited) {
				t.Errorf("%s: the rule %q names no section and no hazard", path, text)
			}
		}
		return nil
	}
	for _, dir := range []string{"core", "shop", "web", "draw", "exchange"} {
		if err := filepath.WalkDir(dir, walk); err != nil {
			t.Fatal(err)
		}
	}
	if named["3"] == 0 || named["9"] == 0 || named[finding.Hazards] == 0 {
		t.Errorf("this test reads nothing: %v", named)
	}
}

// rulesOf are the texts that are given to findings as their rule: a field Rule, or a constant or parameter rule.
func rulesOf(f *ast.File) (out []string) {
	text := func(e ast.Expr) {
		if l, ok := e.(*ast.BasicLit); ok && l.Kind == token.STRING {
			if s, err := strconv.Unquote(l.Value); err == nil && s != "" {
				out = append(out, s)
			}
		}
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch x := n.(type) {
		case *ast.KeyValueExpr:
			if id, ok := x.Key.(*ast.Ident); ok && id.Name == "Rule" {
				text(x.Value)
			}
		case *ast.ValueSpec:
			for i, id := range x.Names {
				if id.Name == "rule" && i < len(x.Values) {
					text(x.Values[i])
				}
			}
		}
		return true
	})
	return out
}

func hasSection(cited []finding.Cited) bool {
	for _, c := range cited {
		if c.Section != "" {
			return true
		}
	}
	return false
}
