package desk

import (
	"bytes"
	"html/template"
	"net/http"
	"strings"
	"sync"

	"github.com/labstack/echo/v5"
	"github.com/yuin/goldmark"
	"github.com/yuin/goldmark/ast"
	"github.com/yuin/goldmark/extension"
	"github.com/yuin/goldmark/parser"
	"github.com/yuin/goldmark/renderer"
	"github.com/yuin/goldmark/util"

	"pandrel/web/number"
)

// book is one of the papers that ship with the program, made into a page once.
type book struct {
	Body     template.HTML
	Sections []section
}

// section is a part of a book, by the address that findings lead to.
type section struct{ ID, Name string }

// sectionIDs names headings by their number, so that a rule leads to its section whatever it is called.
type sectionIDs struct{ book *book }

// Generate is the name of a heading within the page.
func (s sectionIDs) Generate(text []byte, _ ast.NodeKind) []byte {
	number, name, ok := strings.Cut(string(text), " ")
	if !ok || strings.Trim(number, "0123456789") != "" {
		return []byte("top")
	}
	s.book.Sections = append(s.book.Sections, section{"s" + number, number + " " + name})
	return []byte("s" + number)
}

// Put is asked for names that were given by hand; there are none.
func (sectionIDs) Put([]byte) {}

// bound makes a paper into a page. The papers are our own, and no HTML in them is passed on.
func bound(paper []byte) (b book, err error) {
	var out bytes.Buffer
	md := goldmark.New(goldmark.WithExtensions(extension.Table), goldmark.WithParserOptions(parser.WithAutoHeadingID()),
		goldmark.WithRendererOptions(renderer.WithNodeRenderers(util.Prioritized(limits{}, 500))))
	err = md.Convert(paper, &out, parser.WithContext(parser.NewContext(parser.WithIDs(sectionIDs{&b}))))
	html := strings.NewReplacer("<table>", `<div class="table-responsive" tabindex="0" role="group" `+
		`aria-label="Table"><table class="table">`, "</table>", "</table></div>", `href="hazards.md"`,
		`href="/hazards"`, `href="rules.md"`, `href="/rules"`).Replace(out.String())
	b.Body = template.HTML(html) //nolint:gosec // from what was compiled in, with HTML left out
	return b, err
}

// limits writes the words of a paper: each number of the trade in them is a limit.
type limits struct{}

func (limits) RegisterFuncs(r renderer.NodeRendererFuncRegisterer) {
	r.Register(ast.KindText, func(w util.BufWriter, source []byte, n ast.Node, entering bool) (ast.WalkStatus, error) {
		if !entering {
			return ast.WalkContinue, nil
		}
		t := n.(*ast.Text)
		told, err := number.Tell("limit", string(util.UnescapePunctuations(t.Segment.Value(source))))
		if err != nil {
			return ast.WalkStop, err
		}
		_, _ = w.WriteString(string(told))
		if t.SoftLineBreak() || t.HardLineBreak() {
			_ = w.WriteByte('\n')
		}
		return ast.WalkContinue, nil
	})
}

// shown serves a paper, bound when it is first asked for.
func (sv *Room) shown(paper []byte, title string) echo.HandlerFunc {
	made := sync.OnceValues(func() (book, error) { return bound(paper) })
	return func(c *echo.Context) error {
		b, err := made()
		if err != nil {
			return err
		}
		return sv.Show(c, http.StatusOK, "book", title, b)
	}
}
