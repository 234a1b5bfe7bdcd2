package main

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"go/ast"
	"go/importer"
	"go/parser"
	"go/token"
	"go/types"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// aPackage is what go list tells of a package.
type aPackage struct {
	ImportPath, Dir, Export, Name      string
	GoFiles, TestGoFiles, XTestGoFiles []string
	Imports, TestImports, XTestImports []string
	Standard                           bool
	rel                                string // ./core/bank
}

func listed() ([]*aPackage, error) {
	cmd := exec.Command("go", "list", "-export", "-deps", "-json=ImportPath,Dir,Export,Name,GoFiles,TestGoFiles,"+
		"XTestGoFiles,Imports,TestImports,XTestImports,Standard", "./...")
	cmd.Stderr = os.Stderr
	text, err := cmd.Output()
	if err != nil {
		return nil, err
	}
	var out []*aPackage
	for d := json.NewDecoder(strings.NewReader(string(text))); ; {
		var p aPackage
		if err := d.Decode(&p); errors.Is(err, io.EOF) {
			return out, nil
		} else if err != nil {
			return nil, err
		}
		if own, ok := strings.CutPrefix(p.ImportPath, module+"/"); ok {
			p.rel = "./" + own
		}
		out = append(out, &p)
	}
}

// woven is a package with its slips in it.
type woven struct {
	*aPackage
	slips []slip
	files map[string][]edit
	alias map[string]string
}

// weave finds the slips of the folders' packages.
func weave(all []*aPackage, folders []string) ([]*woven, error) {
	exports := map[string]string{}
	for _, p := range all {
		exports[p.ImportPath] = p.Export
	}
	look := func(path string) (io.ReadCloser, error) {
		if exports[path] == "" {
			return nil, fmt.Errorf("no export data of %s", path)
		}
		return os.Open(exports[path])
	}
	next := 0
	var out []*woven
	for _, p := range all {
		if p.rel == "" || slices.Contains(p.Imports, "testing") || !slices.ContainsFunc(folders, func(f string) bool {
			f = "./" + strings.Trim(strings.TrimPrefix(f, "./"), "/")
			return p.rel == f || strings.HasPrefix(p.rel, f+"/")
		}) {
			continue
		}
		w, err := one(p, look, &next)
		if err != nil {
			return nil, err
		}
		out = append(out, w)
	}
	return out, nil
}

func one(p *aPackage, look func(string) (io.ReadCloser, error), next *int) (*woven, error) {
	w := &woven{aPackage: p, files: map[string][]edit{}, alias: map[string]string{}}
	set := token.NewFileSet()
	var files []*ast.File
	for _, name := range p.GoFiles {
		f, err := parser.ParseFile(set, filepath.Join(p.rel, name), nil, parser.SkipObjectResolution)
		if err != nil {
			return nil, err
		}
		files = append(files, f)
	}
	info := &types.Info{Types: map[ast.Expr]types.TypeAndValue{}, Uses: map[*ast.Ident]types.Object{},
		Defs: map[*ast.Ident]types.Object{}}
	conf := types.Config{Importer: importer.ForCompiler(set, "gc", look)}
	self, err := conf.Check(p.ImportPath, set, files, info)
	if err != nil {
		return nil, err
	}
	for i, file := range files {
		f := &finder{pkg: p.rel, path: filepath.Join(p.rel, p.GoFiles[i]), set: set, info: info, self: self, next: next,
			alias: w.alias}
		f.file(file)
		w.slips = append(w.slips, f.slips...)
		w.files[p.GoFiles[i]] = f.edits
	}
	return w, nil
}

// write writes the woven files into a folder and tells the overlay where they are.
func (w *woven) write(dir string, over map[string]string) error {
	for name, edits := range w.files {
		path := filepath.Join(w.Dir, name)
		text, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		to := filepath.Join(dir, strings.ReplaceAll(strings.TrimPrefix(w.rel, "./"), "/", "_")+"_"+name)
		if err := os.WriteFile(to, w.apply(text, edits), 0o600); err != nil {
			return err
		}
		over[path] = to
	}
	to := filepath.Join(dir, strings.ReplaceAll(strings.TrimPrefix(w.rel, "./"), "/", "_")+"_slips.go")
	over[filepath.Join(w.Dir, "zz_slips.go")] = to
	return os.WriteFile(to, []byte(w.helpers()), 0o600)
}

// apply makes the edits of a file. What opens at one place opens outside first, what closes closes inside first; the
// edits come in the order in which they were found, which is from outside to inside.
func (w *woven) apply(text []byte, edits []edit) []byte {
	on := map[int]bool{}
	for _, s := range w.slips {
		on[s.id] = s.woven
	}
	type at struct {
		edit
		rank int
	}
	var list []at
	for i, e := range edits {
		if !slices.ContainsFunc(e.slips, func(id int) bool { return !on[id] }) {
			rank := i
			if e.from == e.to && (strings.HasPrefix(e.text, ")") || strings.HasPrefix(e.text, " }")) {
				rank = -i // closes
			}
			list = append(list, at{e, rank})
		}
	}
	slices.SortStableFunc(list, func(a, b at) int {
		return cmp.Or(cmp.Compare(a.from, b.from), cmp.Compare(a.rank, b.rank))
	})
	var out []byte
	from := 0
	for _, e := range list {
		out = append(append(out, text[from:e.from]...), e.text...)
		from = e.to
	}
	return append(out, text[from:]...)
}

// helpers is the file that each woven package gets.
func (w *woven) helpers() string {
	var b strings.Builder
	fmt.Fprintf(&b, "package %s\n\nimport (\n\t%q\n\t%q\n\t%q\n", w.Name, "os", "strconv", "sync")
	paths := map[string]string{}
	for _, full := range w.alias {
		path := full[:strings.LastIndex(full, ".")]
		if paths[path] == "" {
			paths[path] = fmt.Sprintf("slipP%d", len(paths))
			fmt.Fprintf(&b, "\t%s %q\n", paths[path], path)
		}
	}
	b.WriteString(")\n")
	for name, full := range w.alias {
		i := strings.LastIndex(full, ".")
		fmt.Fprintf(&b, "type %s = %s.%s\n", name, paths[full[:i]], full[i+1:])
	}
	b.WriteString(woventext)
	return b.String()
}

const woventext = `
var slipOn, slipTrace, slipSeen, slipLock = slipBegin()

func slipBegin() (int, *os.File, []bool, *sync.Mutex) {
	on, _ := strconv.Atoi(os.Getenv("SLIP"))
	if name := os.Getenv("SLIP_TRACE"); name != "" {
		f, err := os.OpenFile(name, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
		if err != nil {
			panic(err)
		}
		return -1, f, make([]bool, 1<<20), &sync.Mutex{}
	}
	return on, nil, nil, nil
}

func slipHit(id int) {
	if slipSeen[id] {
		return
	}
	slipLock.Lock()
	defer slipLock.Unlock()
	if !slipSeen[id] {
		slipSeen[id] = true
		slipTrace.WriteString(strconv.Itoa(id) + "\n")
	}
}

type slipNumber interface {
	~int | ~int8 | ~int16 | ~int32 | ~int64 | ~uint | ~uint8 | ~uint16 | ~uint32 | ~uint64 | ~uintptr | ~float32 |
		~float64
}

type slipOrdered interface{ slipNumber | ~string }

func slipNOT(id int, x bool) bool {
	if slipOn < 0 {
		slipHit(id)
	}
	return x != (slipOn == id)
}

func slipNUM[T slipNumber](id int, was, is T) T {
	if slipOn < 0 {
		slipHit(id)
	}
	if slipOn == id {
		return is
	}
	return was
}

func slipAND(id int, x bool, y func() bool) bool {
	if slipOn < 0 {
		slipHit(id)
	}
	if slipOn == id {
		return x || y()
	}
	return x && y()
}

func slipOR(id int, x bool, y func() bool) bool {
	if slipOn < 0 {
		slipHit(id)
	}
	if slipOn == id {
		return x && y()
	}
	return x || y()
}

func slipLSS[T slipOrdered](a, b int, x, y T) bool {
	if slipOn < 0 {
		slipHit(a)
		slipHit(b)
	}
	if slipOn == a {
		return x > y
	}
	if slipOn == b {
		return x <= y
	}
	return x < y
}

func slipGTR[T slipOrdered](a, b int, x, y T) bool { return slipLSS(a, b, y, x) }

func slipLEQ[T slipOrdered](a, b int, x, y T) bool {
	if slipOn < 0 {
		slipHit(a)
		slipHit(b)
	}
	if slipOn == a {
		return x >= y
	}
	if slipOn == b {
		return x < y
	}
	return x <= y
}

func slipGEQ[T slipOrdered](a, b int, x, y T) bool { return slipLEQ(a, b, y, x) }

func slipADD[T slipNumber](id int, x, y T) T {
	if slipOn < 0 {
		slipHit(id)
	}
	if slipOn == id {
		return x - y
	}
	return x + y
}

func slipSUB[T slipNumber](id int, x, y T) T {
	if slipOn < 0 {
		slipHit(id)
	}
	if slipOn == id {
		return x + y
	}
	return x - y
}

func slipMUL[T slipNumber](id int, x, y T) T {
	if slipOn < 0 {
		slipHit(id)
	}
	if slipOn == id {
		return x / y
	}
	return x * y
}

func slipQUO[T slipNumber](id int, x, y T) T {
	if slipOn < 0 {
		slipHit(id)
	}
	if slipOn == id {
		return x * y
	}
	return x / y
}
`

var compiler = regexp.MustCompile(`(?m)^(?:vet: )?(\S+?\.go):(\d+):\d+: `)

// compiled makes an overlay that compiles: places that the compiler does not take as calls (a constant's context that
// the finder did not see) are taken out and asked by themselves.
func compiled(list []*woven, dir string) (overlay string, err error) {
	for range 40 {
		over := map[string]string{}
		for _, w := range list {
			if err := w.write(dir, over); err != nil {
				return "", err
			}
		}
		text, err := json.Marshal(map[string]any{"Replace": over})
		if err != nil {
			return "", err
		}
		overlay = filepath.Join(dir, "overlay.json")
		if err := os.WriteFile(overlay, text, 0o600); err != nil {
			return "", err
		}
		args := []string{"build", "-gcflags=-e", "-overlay", overlay}
		for _, w := range list {
			args = append(args, w.rel)
		}
		out, err := exec.Command("go", args...).CombinedOutput()
		if err == nil {
			return overlay, nil
		}
		taken := 0
		for _, m := range compiler.FindAllStringSubmatch(string(out), -1) {
			line, _ := strconv.Atoi(m[2])
			for _, w := range list {
				for i, s := range w.slips {
					same := filepath.Clean(s.file) == filepath.Clean(m[1]) ||
						strings.ReplaceAll(strings.TrimPrefix(w.rel, "./"), "/",
							"_")+"_"+filepath.Base(s.file) == filepath.Base(m[1])
					if s.woven && s.line == line && same {
						w.slips[i].woven = false
						taken++
					}
				}
			}
		}
		if taken == 0 {
			return "", fmt.Errorf("the woven code does not compile: %s", out)
		}
		fmt.Printf("%d places are asked by themselves\n", taken)
	}
	return "", errors.New("the woven code does not compile")
}
