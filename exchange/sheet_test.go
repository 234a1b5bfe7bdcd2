package exchange_test

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"runtime"
	"slices"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"pandrel/exchange"
)

// zipped is a file of these parts.
func zipped(t testing.TB, parts map[string]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range parts {
		w, err := z.Create(name)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(text)); err != nil {
			t.Fatal(err)
		}
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// sheet is an XLSX file with these rows as XML.
func sheet(t testing.TB, rows string, more ...string) []byte {
	parts := map[string]string{"xl/workbook.xml": `<workbook><sheets><sheet name="A"/></sheets></workbook>`,
		"xl/worksheets/sheet1.xml": `<worksheet><sheetData>` + rows + `</sheetData></worksheet>`}
	for i := 0; i+1 < len(more); i += 2 {
		parts[more[i]] = more[i+1]
	}
	return zipped(t, parts)
}

const plainRows = `<row r="1"><c r="A1" t="inlineStr"><is><t>module</t></is></c><c r="B1" t="str"><v>ah</v></c></row>` +
	`<row r="3"><c r="A3" t="inlineStr"><is><t>K-1</t></is></c><c r="B3"><v>46.5</v></c></row>`

// What a hostile file asks for is refused before memory is taken for it.
func TestAHostileSheetTakesNoMemory(t *testing.T) {
	cell := func(name string) string { return `<c r="` + name + `"><v>1</v></c>` }
	var far strings.Builder
	for r := 1; r <= 60_000; r++ {
		fmt.Fprintf(&far, `<row r="%d">%s</row>`, r, cell(fmt.Sprintf("XFD%d", r)))
	}
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"far cells in every row": {sheet(t, far.String()), "column 16384"},
		"one far row":            {sheet(t, plainRows+`<row r="1048576">`+cell("A1048576")+`</row>`), "row 1048576"},
		"rows without end":       {sheet(t, strings.Repeat(`<row><c><v>1</v></c></row>`, 400_000)), "at most 5000"},
		"texts without end": {sheet(t, plainRows, "xl/sharedStrings.xml", "<sst>"+
			strings.Repeat("<si><t/></si>", 1<<20)+"</sst>"), "unpacks"},
		"one endless text": {sheet(t, plainRows, "xl/sharedStrings.xml", "<sst><si><t>"+
			strings.Repeat("x", 60<<20)+"</t></si></sst>"), "64 KiB"},
		"one endless cell":   {sheet(t, `<row><c t="str"><v>`+strings.Repeat("y", 20<<20)+`</v></c></row>`), "64 KiB"},
		"an endless name":    {sheet(t, `<`+strings.Repeat("n", 40<<20)+`/>`), "256 KiB"},
		"rows backwards":     {sheet(t, `<row r="2"/><row r="1"/>`), "in order"},
		"cells backwards":    {sheet(t, `<row r="1"><c r="B1"/><c r="A1"/></row>`), "in order"},
		"a text that is not": {sheet(t, `<row r="1"><c r="A1" t="s"><v>7</v></c></row>`), "not there"},
		"no sheet":           {zipped(t, map[string]string{"xl/workbook.xml": "<workbook/>"}), "no sheet"},
		"no XML":             {sheet(t, "<row"), "readable"},
		"another zip file":   {zipped(t, map[string]string{"a.txt": "hello"}), "no sheet"},
		"a broken zip file":  {[]byte("PK\x03\x04hello"), "readable"},
	} {
		t.Run(name, func(t *testing.T) {
			var before, after runtime.MemStats
			runtime.GC()
			runtime.ReadMemStats(&before)
			_, err := exchange.ReadGrid(t.Context(), c.data)
			runtime.ReadMemStats(&after)
			var e *exchange.Error
			if !errors.As(err, &e) || !strings.Contains(err.Error(), c.says) {
				t.Errorf("%v: expected %q", err, c.says)
			}
			if took := after.Sys - before.Sys; after.Sys > before.Sys && took > 256<<20 {
				t.Errorf("took %d MiB", took>>20)
			}
		})
	}
}

// Whatever a spreadsheet library writes is read as it reads it itself: texts, numbers, gaps, several sheets.
func TestSheetsAreReadAsTheLibraryReadsThem(t *testing.T) {
	f := excelize.NewFile()
	defer f.Close()
	for cell, v := range map[string]any{"A1": "module", "B1": "type <&>", "D1": "ah", "A2": "K-001", "B2": "  padded  ",
		"D2": 46.25, "A3": "Ж電", "C3": true, "D3": -3, "A5": "last", "D5": 1e-3} {
		if err := f.SetCellValue("Sheet1", cell, v); err != nil {
			t.Fatal(err)
		}
	}
	if err := f.SetCellRichText("Sheet1", "B3", []excelize.RichTextRun{{Text: "two "}, {Text: "runs"}}); err != nil {
		t.Fatal(err)
	}
	if _, err := f.NewSheet("Other"); err != nil {
		t.Fatal(err)
	}
	_ = f.SetCellValue("Other", "A1", "not this")
	var b bytes.Buffer
	if err := f.Write(&b); err != nil {
		t.Fatal(err)
	}
	g, err := exchange.ReadGrid(t.Context(), b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	want, err := f.GetRows("Sheet1", excelize.Options{RawCellValue: true})
	if err != nil {
		t.Fatal(err)
	}
	got := append([][]string{g.Header}, g.Rows...)
	want = slices.DeleteFunc(want, func(r []string) bool { return len(r) == 0 })
	for i := range want {
		for k := range want[i] {
			want[i][k] = strings.TrimSpace(want[i][k])
		}
		if !slices.Equal(got[i], want[i]) {
			t.Errorf("row %d: %q, the library reads %q", i, got[i], want[i])
		}
	}
	if !slices.Equal(g.Lines, []int{2, 3, 5}) {
		t.Errorf("lines %v", g.Lines)
	}
}

func FuzzReadSheet(f *testing.F) {
	f.Add(plainRows, "<sst><si><t>a</t></si></sst>")
	f.Add(`<row r="1"><c r="A1" t="s"><v>0</v></c></row><row><c><v>2</v></c></row>`,
		`<sst><si><r><t>x</t></r></si></sst>`)
	f.Fuzz(func(t *testing.T, rows, shared string) {
		g, err := exchange.ReadGrid(t.Context(), sheet(t, rows, "xl/sharedStrings.xml", shared))
		if err != nil {
			return
		}
		for i, r := range g.Rows {
			if len(r) > len(g.Header) || len(r) > 200 || len(g.Lines) != len(g.Rows) {
				t.Errorf("row %d has %d fields", i, len(r))
			}
		}
	})
}
