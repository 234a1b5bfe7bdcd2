package main

import (
	"fmt"
	"go/ast"
	"go/constant"
	"go/token"
	"go/types"
	"strconv"
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

// slip is a change of one place of one file. Most are woven: they stand in the tests' binaries behind a switch. What
// is a constant for the compiler (a const, the length of an array) cannot be switched and is compiled by itself.
type slip struct {
	id       int
	pkg      string // the folder, as ./core/bank
	file     string
	line     int
	from, to int // bytes
	kind     kind
	was, is  string
	woven    bool
}

// edit puts text in the place of a file's bytes from to to.
type edit struct {
	from, to int
	text     string
	line     int
	slips    []int // that fall with it, where the compiler does not take it
}

var turned = map[token.Token]token.Token{token.LSS: token.GTR, token.GTR: token.LSS, token.LEQ: token.GEQ,
	token.GEQ: token.LEQ, token.EQL: token.NEQ, token.NEQ: token.EQL}

var edged = map[token.Token]token.Token{token.LSS: token.LEQ, token.GTR: token.GEQ, token.LEQ: token.LSS,
	token.GEQ: token.GTR}

var swapped = map[token.Token]token.Token{token.ADD: token.SUB, token.SUB: token.ADD, token.MUL: token.QUO,
	token.QUO: token.MUL, token.LAND: token.LOR, token.LOR: token.LAND}

// helper names the function of woven.go that stands for an operation.
var helper = map[token.Token]string{token.LSS: "slipLSS", token.GTR: "slipGTR", token.LEQ: "slipLEQ",
	token.GEQ: "slipGEQ", token.ADD: "slipADD", token.SUB: "slipSUB", token.MUL: "slipMUL", token.QUO: "slipQUO"}

// finder goes through the files of one package.
type finder struct {
	pkg   string
	path  string
	set   *token.FileSet
	info  *types.Info
	self  *types.Package
	next  *int
	slips []slip
	edits []edit
	alias map[string]string // foreign types that numbers have, by the name they get in the package
	fixed map[ast.Node]bool // literals that have to stay constants
}

func (f *finder) slip(from, to token.Pos, k kind, was, is string, woven bool) int {
	p := f.set.Position(from)
	*f.next++
	f.slips = append(f.slips, slip{*f.next, f.pkg, f.path, p.Line, p.Offset, f.set.Position(to).Offset, k, was, is,
		woven})
	return *f.next
}

func (f *finder) put(from, to token.Pos, text string, slips ...int) {
	p := f.set.Position(from)
	f.edits = append(f.edits, edit{p.Offset, f.set.Position(to).Offset, text, p.Line, slips})
}

func (f *finder) file(file *ast.File) {
	f.fixed = map[ast.Node]bool{}
	ast.Inspect(file, f.visit)
}

func (f *finder) keep(n ast.Node) {
	if n == nil {
		return
	}
	ast.Inspect(n, func(n ast.Node) bool {
		if n != nil {
			f.fixed[n] = true
		}
		return true
	})
}

func (f *finder) visit(n ast.Node) bool {
	switch n := n.(type) {
	case *ast.ImportSpec, *ast.StructType:
		return false
	case *ast.GenDecl:
		if n.Tok == token.CONST {
			f.keep(n)
		}
	case *ast.ArrayType:
		if n.Len != nil {
			f.keep(n.Len)
		}
	case *ast.CompositeLit:
		if _, isMap := f.info.TypeOf(n).Underlying().(*types.Map); !isMap {
			for _, e := range n.Elts {
				if kv, ok := e.(*ast.KeyValueExpr); ok {
					f.keep(kv.Key)
				}
			}
		}
	case *ast.BinaryExpr:
		f.binary(n)
	case *ast.BasicLit:
		f.literal(n)
	case *ast.IfStmt:
		c := n.Cond
		id := f.slip(c.Pos(), c.End(), negated, "the condition", "its contrary", true)
		f.put(c.Pos(), c.Pos(), fmt.Sprintf("slipNOT(%d, ", id), id)
		f.put(c.End(), c.End(), ")", id)
	case *ast.ExprStmt:
		if c, ok := n.X.(*ast.CallExpr); ok && says(c) {
			id := f.slip(n.Pos(), n.End(), unsaid, "the finding", "nothing", true)
			f.put(n.Pos(), n.Pos(), fmt.Sprintf("if !slipNOT(%d, false) { ", id), id)
			f.put(n.End(), n.End(), " }", id)
		}
	}
	return true
}

func (f *finder) binary(n *ast.BinaryExpr) {
	end := n.OpPos + token.Pos(len(n.Op.String()))
	tv := f.info.Types[n]
	woven := tv.Value == nil && !f.fixed[n]
	was := n.Op.String()
	switch n.Op {
	case token.EQL, token.NEQ:
		id := f.slip(n.OpPos, end, comparison, was, turned[n.Op].String(), woven)
		if woven {
			f.put(n.Pos(), n.Pos(), fmt.Sprintf("slipNOT(%d, ", id), id)
			f.put(n.End(), n.End(), ")", id)
		}
	case token.LSS, token.GTR, token.LEQ, token.GEQ:
		a := f.slip(n.OpPos, end, comparison, was, turned[n.Op].String(), woven)
		b := f.slip(n.OpPos, end, edge, was, edged[n.Op].String(), woven)
		if woven {
			f.call(n, end, fmt.Sprintf("%s(%d, %d, ", helper[n.Op], a, b), a, b)
		}
	case token.LAND, token.LOR:
		id := f.slip(n.OpPos, end, sign, was, swapped[n.Op].String(), woven)
		if woven {
			name := map[token.Token]string{token.LAND: "slipAND", token.LOR: "slipOR"}[n.Op]
			f.put(n.Pos(), n.Pos(), fmt.Sprintf("%s(%d, ", name, id), id)
			f.put(n.OpPos, end, ", func() bool { return (", id)
			f.put(n.End(), n.End(), ") })", id)
		}
	case token.ADD, token.SUB, token.MUL, token.QUO:
		if b, ok := tv.Type.Underlying().(*types.Basic); ok && b.Info()&types.IsNumeric == 0 {
			return
		}
		id := f.slip(n.OpPos, end, sign, was, swapped[n.Op].String(), woven)
		if woven {
			f.call(n, end, fmt.Sprintf("%s(%d, ", helper[n.Op], id), id)
		}
	}
}

// call makes an operation a call. Two sides of which one is a constant take the type of the other.
func (f *finder) call(n *ast.BinaryExpr, end token.Pos, open string, ids ...int) {
	f.put(n.Pos(), n.Pos(), open, ids...)
	f.put(n.OpPos, end, ",", ids...)
	f.put(n.End(), n.End(), ")", ids...)
}

func (f *finder) literal(n *ast.BasicLit) {
	is, ok := tenth(n)
	if !ok {
		return
	}
	tv := f.info.Types[n]
	name, named := f.name(tv.Type)
	woven := named && !f.fixed[n]
	id := f.slip(n.Pos(), n.End(), number, n.Value, is, woven)
	if woven {
		f.put(n.Pos(), n.End(), fmt.Sprintf("slipNUM[%s](%d, %s, %s)", name, id, n.Value, is), id)
	}
}

// name is how a number's type is written in the package.
func (f *finder) name(t types.Type) (string, bool) {
	switch t := t.(type) {
	case *types.Basic:
		return t.Name(), t.Info()&types.IsUntyped == 0 && t.Info()&types.IsNumeric != 0
	case *types.Named:
		o := t.Obj()
		if o.Pkg() == f.self || o.Pkg() == nil {
			return o.Name(), o.Parent() == f.self.Scope()
		}
		if !o.Exported() {
			return "", false
		}
		name := "slipT_" + o.Pkg().Name() + "_" + o.Name()
		f.alias[name] = o.Pkg().Path() + "." + o.Name()
		return name, true
	}
	return "", false
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
		v, ok := constant.Int64Val(constant.MakeFromLiteral(n.Value, token.INT, 0))
		if !ok || v < 3 {
			return "", false
		}
		return fmt.Sprint(max(v+1, v*11/10)), true
	}
	return "", false
}

// says reports whether a call says a finding and nothing else.
func says(c *ast.CallExpr) bool {
	if len(c.Args) < 5 {
		return false
	}
	s, ok := c.Args[0].(*ast.SelectorExpr)
	if !ok {
		return false
	}
	p, ok := s.X.(*ast.Ident)
	return ok && p.Name == "finding"
}
