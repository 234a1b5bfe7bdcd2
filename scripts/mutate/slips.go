package main

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// kind is what sort of slip it is.
type kind string

const (
	comparison kind = "comparison turned"
	edge       kind = "edge of a comparison"
	number     kind = "number by a tenth"
	sign       kind = "sign or operation"
	negated    kind = "condition negated"
	unsaid     kind = "finding not said"
)

var kinds = []kind{comparison, edge, number, sign, negated, unsaid}

// slip is a change of one place of one file.
type slip struct {
	file     string
	line     int
	from, to int // bytes
	kind     kind
	was, is  string
}

// inFolders finds every place at which a slip can be made, outside of tests.
func inFolders(folders []string) (out []slip, err error) {
	for _, folder := range folders {
		err := filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") ||
				filepath.Base(path) == "doc.go" {
				return err
			}
			found, err := inFile(path)
			out = append(out, found...)
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

var turned = map[token.Token]token.Token{token.LSS: token.GTR, token.GTR: token.LSS, token.LEQ: token.GEQ,
	token.GEQ: token.LEQ, token.EQL: token.NEQ, token.NEQ: token.EQL}

var edged = map[token.Token]token.Token{token.LSS: token.LEQ, token.GTR: token.GEQ, token.LEQ: token.LSS,
	token.GEQ: token.GTR}

var swapped = map[token.Token]token.Token{token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO,
	token.QUO: token.MUL, token.LAND: token.LOR, token.LOR: token.LAND}

func inFile(path string) (out []slip, err error) {
	set := token.NewFileSet()
	f, err := parser.ParseFile(set, path, nil, parser.SkipObjectResolution)
	if err != nil {
		return nil, err
	}
	at := func(from, to token.Pos, k kind, was, is string) {
		p := set.Position(from)
		out = append(out, slip{path, p.Line, p.Offset, set.Position(to).Offset, k, was, is})
	}
	ast.Inspect(f, func(n ast.Node) bool {
		switch n := n.(type) {
		case *ast.ImportSpec, *ast.StructType:
			return false
		case *ast.BinaryExpr:
			end := n.OpPos + token.Pos(len(n.Op.String()))
			if to, ok := turned[n.Op]; ok {
				at(n.OpPos, end, comparison, n.Op.String(), to.String())
			}
			if to, ok := edged[n.Op]; ok {
				at(n.OpPos, end, edge, n.Op.String(), to.String())
			}
			if to, ok := swapped[n.Op]; ok && !isText(n.X) && !isText(n.Y) {
				at(n.OpPos, end, sign, n.Op.String(), to.String())
			}
		case *ast.BasicLit:
			if is, ok := tenth(n); ok {
				at(n.Pos(), n.End(), number, n.Value, is)
			}
		case *ast.IfStmt:
			at(n.Cond.Pos(), n.Cond.Pos(), negated, "if", "!(") // closed below
			out[len(out)-1].to = set.Position(n.Cond.End()).Offset
			out[len(out)-1].was = "the condition"
		case *ast.ExprStmt:
			if c, ok := n.X.(*ast.CallExpr); ok && says(c) {
				at(n.Pos(), n.End(), unsaid, "the finding", "")
			}
		}
		return true
	})
	return closed(path, out)
}

// closed writes the conditions that are negated whole.
func closed(path string, slips []slip) ([]slip, error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	for i, s := range slips {
		if s.kind == negated {
			slips[i].was = string(text[s.from:s.to])
			slips[i].is = "!(" + slips[i].was + ")"
		}
	}
	return slips, nil
}

// isText reports whether an expression is a text for certain.
func isText(x ast.Expr) bool {
	switch x := x.(type) {
	case *ast.BasicLit:
		return x.Kind == token.STRING
	case *ast.BinaryExpr:
		return isText(x.X) || isText(x.Y)
	case *ast.CallExpr:
		if s, ok := x.Fun.(*ast.SelectorExpr); ok {
			return strings.HasPrefix(s.Sel.Name, "Sprint") || s.Sel.Name == "String" || s.Sel.Name == "Join"
		}
	}
	return false
}

// tenth is a number a tenth more; whole ones one more. Nothing and one are most often no measures.
func tenth(n *ast.BasicLit) (string, bool) {
	switch n.Kind {
	case token.FLOAT:
		v, err := strconv.ParseFloat(n.Value, 64)
		if err != nil || v == 0 || v == 1 || v == 0.5 {
			return "", false
		}
		return strconv.FormatFloat(1.1*v, 'g', 12, 64), true
	case token.INT:
		v, err := strconv.ParseInt(n.Value, 10, 64)
		if err != nil || v < 3 {
			return "", false
		}
		return fmt.Sprint(max(v+1, v*11/10)), true
	}
	return "", false
}

// says reports whether a call says a finding and nothing else.
func says(c *ast.CallExpr) bool {
	name := ""
	switch f := c.Fun.(type) {
	case *ast.SelectorExpr:
		name = f.Sel.Name
	case *ast.Ident:
		name = f.Name
	}
	if len(c.Args) < 5 {
		return false
	}
	s, ok := c.Args[0].(*ast.SelectorExpr)
	if !ok {
		return false
	}
	p, ok := s.X.(*ast.Ident)
	return ok && p.Name == "finding" && name != ""
}
