package exchange

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"io"
	"path"
	"strconv"
	"strings"

	"pandrel/core/base/numeral"
)

// Bounds of an XLSX file, each asked before memory is taken for what it bounds.
const (
	maxParts     = 500       // files inside
	maxUnpacked  = 24 << 20  // bytes of all the parts that are read
	maxToken     = 256 << 10 // bytes of one tag with its attributes, one text, one comment
	maxShared    = 8 << 20   // bytes of the texts that cells share
	maxText      = 64 << 10  // bytes of the text of one cell: a spreadsheet takes 32 767 letters
	maxSheets    = 300
	maxRelations = 2000
	maxSheetRows = 100_000  // empty ones included
	maxGridText  = 24 << 20 // bytes of all the fields of a table, shared ones each time they stand there
)

// errUnpacked is a part that unpacks to more than may be taken.
var errUnpacked = errors.New("it unpacks to more than 24 MiB: save only the sheet that is needed")

// openBook opens an XLSX file of which most bytes may be unpacked.
func openBook(ctx context.Context, data []byte, most int64) (*book, error) {
	if bytes.Count(data, zipEntry) > maxParts { // before the list of them is made
		return nil, notASheet()
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil || len(z.File) > maxParts {
		return nil, notASheet()
	}
	return &book{ctx: ctx, zip: z, left: most}, nil
}

// zipEntry begins each line of the list of what a ZIP file holds.
var zipEntry = []byte("PK\x01\x02")

func notASheet() error {
	return fail(0, "not a readable XLSX file: expected one saved by a spreadsheet")
}

// sheetRows reads the first sheet of an XLSX file row by row. It keeps nothing but the texts that cells share and the
// rows of the table: a cell far to the right, or far down, costs nothing but a message.
func sheetRows(ctx context.Context, data []byte) (rows [][]string, lines []int, err error) {
	b, err := openBook(ctx, data, maxUnpacked)
	if err != nil {
		return nil, nil, err
	}
	rows, lines, err = b.read()
	if errors.Is(err, errUnpacked) {
		return nil, nil, fail(0, "too large: %v", errUnpacked)
	}
	return rows, lines, b.says(err)
}

// says is an error of reading as a person is told it.
func (b *book) says(err error) error {
	var e *Error
	switch {
	case err == nil || errors.As(err, &e) || b.ctx.Err() != nil:
		return err
	case errors.Is(err, errToken):
		return fail(0, "not a readable XLSX file: one piece of it, a text or a tag, has more than %d KiB", maxToken>>10)
	case errors.Is(err, errCount):
		return fail(0, "not a readable XLSX file: it lists more sheets, relations or styles than a spreadsheet "+
			"can have")
	}
	return fail(0, "not a readable XLSX file: %v", err)
}

// errToken is a single piece of a part that is too long, errCount a list that is.
var (
	errToken = errors.New("a piece is too long")
	errCount = errors.New("a list is too long")
)

// book is an XLSX file while it is read. left is how many bytes may still be unpacked, token how many of them for the
// piece that is being read.
type book struct {
	ctx    context.Context
	zip    *zip.Reader
	left   int64
	token  int64
	shared []string

	times     []timeForm // how the styles of its cells write times; nil where nobody asks
	epoch1904 bool
}

// bounded reads the part under way. What it unpacks counts against what may be unpacked at all and what one piece may
// have: the parser keeps a piece until it is whole. It ends when nobody waits for it any more.
type bounded struct {
	io.Reader
	b *book
}

func (r bounded) Read(p []byte) (int, error) {
	switch {
	case r.b.ctx.Err() != nil:
		return 0, r.b.ctx.Err()
	case r.b.left <= 0:
		return 0, errUnpacked
	case r.b.token <= 0:
		return 0, errToken
	}
	n, err := r.Reader.Read(p[:min(int64(len(p)), r.b.left)])
	r.b.left -= int64(n)
	r.b.token -= int64(n)
	return n, err
}

// tokens calls f for every token of a part; found is false where the file has no such part.
func (b *book) tokens(name string, f func(d *xml.Decoder, t xml.Token) error) (found bool, err error) {
	name = strings.TrimPrefix(name, "/")
	for _, part := range b.zip.File {
		if !strings.EqualFold(part.Name, name) {
			continue
		}
		r, err := part.Open()
		if err != nil {
			return true, err
		}
		defer r.Close()
		d := xml.NewDecoder(bounded{r, b})
		d.CharsetReader = func(string, io.Reader) (io.Reader, error) { return nil, errors.New("expected UTF-8") }
		for {
			b.token = maxToken
			t, err := d.RawToken()
			if errors.Is(err, io.EOF) {
				return true, nil
			}
			if err != nil {
				return true, err
			}
			if err := f(d, t); err != nil {
				return true, err
			}
		}
	}
	return false, nil
}

func attr(t xml.StartElement, name string) string {
	for _, a := range t.Attr {
		if a.Name.Local == name {
			return a.Value
		}
	}
	return ""
}

// relation is the value of an attribute r:id, whatever the prefix is called.
func relation(t xml.StartElement) string {
	for _, a := range t.Attr {
		if a.Name.Local == "id" && a.Name.Space != "" {
			return a.Value
		}
	}
	return ""
}

func (b *book) read() ([][]string, []int, error) {
	sheets, shared, err := b.where()
	if err != nil {
		return nil, nil, err
	}
	sheet := sheets[0]
	if err := b.readShared(shared); err != nil {
		return nil, nil, err
	}
	s := sheetReader{book: b, most: maxSheetRows}
	found, err := b.tokens(sheet, s.token)
	if err == nil && !found {
		err = errors.New("it has no sheet")
	}
	return s.rows, s.lines, err
}

// where finds the parts of the sheets, in their order, and of the shared texts, by the relations that the workbook
// declares.
func (b *book) where() (sheets []string, shared string, err error) {
	var ids []string
	if _, err = b.tokens("xl/workbook.xml", func(_ *xml.Decoder, t xml.Token) error {
		s, ok := t.(xml.StartElement)
		switch {
		case ok && s.Name.Local == "sheet":
			if ids = append(ids, relation(s)); len(ids) > maxSheets {
				return errCount
			}
		case ok && s.Name.Local == "workbookPr":
			b.epoch1904 = attr(s, "date1904") == "1" || attr(s, "date1904") == "true"
		}
		return nil
	}); err != nil {
		return nil, "", err
	}
	shared = "xl/sharedStrings.xml"
	targets := map[string]string{}
	_, err = b.tokens("xl/_rels/workbook.xml.rels", func(_ *xml.Decoder, t xml.Token) error {
		s, ok := t.(xml.StartElement)
		if !ok || s.Name.Local != "Relationship" {
			return nil
		}
		target := attr(s, "Target")
		if !strings.HasPrefix(target, "/") {
			target = path.Join("xl", target)
		}
		if targets[attr(s, "Id")] = target; len(targets) > maxRelations {
			return errCount
		}
		if strings.HasSuffix(attr(s, "Type"), "/sharedStrings") {
			shared = target
		}
		return nil
	})
	for _, id := range ids {
		if t := targets[id]; id != "" && t != "" {
			sheets = append(sheets, t)
		}
	}
	if len(sheets) == 0 {
		sheets = []string{"xl/worksheets/sheet1.xml"}
	}
	return sheets, shared, err
}

// readShared reads the texts that cells share. Readings aids beside a text (rPh) are not part of it.
func (b *book) readShared(part string) error {
	var text strings.Builder
	size, in, aid := 0, false, 0
	_, err := b.tokens(part, func(_ *xml.Decoder, t xml.Token) error {
		switch t := t.(type) {
		case xml.StartElement:
			switch t.Name.Local {
			case "si":
				text.Reset()
				if size += 32; size > maxShared {
					return errUnpacked
				}
			case "t":
				in = aid == 0
			case "rPh":
				aid++
			}
		case xml.EndElement:
			switch t.Name.Local {
			case "si":
				b.shared = append(b.shared, strings.Clone(text.String()))
			case "t":
				in = false
			case "rPh":
				aid--
			}
		case xml.CharData:
			if !in {
				return nil
			}
			if size += len(t); size > maxShared {
				return errUnpacked
			}
			if text.Len()+len(t) > maxText {
				return errLongText
			}
			text.Write(t)
		}
		return nil
	})
	return err
}

// errLongText is the text of a cell that no spreadsheet would take.
var errLongText = fail(0, "the text of one cell has more than %d KiB: expected a table of numbers and short texts",
	maxText>>10)

// sheetReader takes the tokens of a sheet and makes rows of them.
type sheetReader struct {
	*book
	rows  [][]string
	lines []int
	each  func(rec []string) error // takes a row instead of rows, where there are very many
	most  int                      // rows
	size  int                      // bytes of the fields of all rows

	row, col int // of the cell under way, from 1
	style    int
	kind     string
	in       bool
	value    strings.Builder
	now      []string
}

func (s *sheetReader) token(_ *xml.Decoder, t xml.Token) error {
	switch t := t.(type) {
	case xml.StartElement:
		return s.start(t)
	case xml.EndElement:
		return s.end(t)
	case xml.CharData:
		if !s.in {
			return nil
		}
		if s.value.Len()+len(t) > maxText {
			return errLongText
		}
		s.value.Write(t)
	}
	return nil
}

func (s *sheetReader) start(t xml.StartElement) error {
	switch t.Name.Local {
	case "row":
		next := s.row + 1
		if r := attr(t, "r"); r != "" {
			n, err := strconv.Atoi(r)
			if err != nil || n < next {
				return fail(next, "the rows of the sheet are not in order")
			}
			next = n
		}
		if next > s.most {
			return fail(0, "something stands in row %d: expected a table of at most %s", next,
				numeral.Count(maxGridRows, "row"))
		}
		s.row, s.col, s.now = next, 0, s.now[:0:0]
	case "c":
		col, err := column(attr(t, "r"), s.col)
		if err != nil {
			return fail(s.row, "%v", err)
		}
		if col > maxGridCols {
			return fail(s.row, "something stands in column %d: expected at most %s", col, numeral.Count(maxGridCols,
				"column"))
		}
		s.col, s.kind = col, attr(t, "t")
		if s.style = 0; s.times != nil {
			s.style, _ = strconv.Atoi(attr(t, "s"))
		}
		s.value.Reset()
	case "v", "t":
		s.in = true
	}
	return nil
}

// end keeps what an element held that ends.
func (s *sheetReader) end(t xml.EndElement) error {
	switch t.Name.Local {
	case "v", "t":
		s.in = false
	case "c":
		if s.value.Len() == 0 || s.col == 0 {
			return nil
		}
		for len(s.now) < s.col {
			s.now = append(s.now, "")
		}
		text := s.value.String()
		if s.kind == "s" {
			n, err := strconv.Atoi(strings.TrimSpace(text))
			if err != nil || n < 0 || n >= len(s.shared) {
				return fail(s.row, "a cell points to a text that is not there")
			}
			text = s.shared[n]
		}
		if (s.kind == "" || s.kind == "n") && s.style > 0 && s.style < len(s.times) {
			text = s.times[s.style].text(text, s.epoch1904)
		}
		s.now[s.col-1] = text
	case "row":
		return s.endRow()
	}
	return nil
}

func (s *sheetReader) endRow() error {
	if s.each != nil {
		return s.each(s.now)
	}
	rec, err := cells(s.now, s.row)
	if err != nil {
		return err
	}
	for _, c := range rec {
		s.size += len(c)
	}
	if s.size > maxGridText {
		return errUnpacked
	}
	if len(rec) > 0 {
		s.rows, s.lines = append(s.rows, rec), append(s.lines, s.row)
	}
	if len(s.rows) > maxGridRows+1 {
		return tooManyRows()
	}
	s.now = nil
	return nil
}

// column reads the column of a cell's name such as AB12; without a name it is the one after the last.
func column(name string, last int) (int, error) {
	if name == "" {
		return last + 1, nil
	}
	n := 0
	for _, r := range name {
		if r < 'A' || r > 'Z' {
			break
		}
		if n = 26*n + int(r-'A'+1); n > 16384 {
			break
		}
	}
	if n <= last || n > 16384 {
		return 0, errors.New("the cells of the sheet are not in order")
	}
	return n, nil
}
