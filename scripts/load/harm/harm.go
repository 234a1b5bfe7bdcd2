// Package harm makes files that mean harm: each is small, or claims little, and would take much where only a total is
// bounded and not the single piece, side, scan, count or wait inside it. The load program sends them to a running
// Pandrel; the tests of exchange read them beside a watch on memory.
package harm

import (
	"archive/zip"
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"strings"
	"unicode/utf16"
)

// Kind is what a file is sent as.
type Kind string

// Kinds.
const (
	Table   Kind = "table"
	Log     Kind = "log"
	Picture Kind = "picture"
)

// File is one that means harm.
type File struct {
	Name string
	Kind Kind
	Data func() []byte
}

// Files are all of them.
var Files = []File{
	{"attributes of one element", Table, func() []byte {
		return sheet("<row "+strings.Repeat(`a="" `, 4_000_000)+"/>", "")
	}},
	{"attributes of the workbook", Table, func() []byte {
		return zipped("xl/workbook.xml", "<workbook "+strings.Repeat(`b="1" `, 3_000_000)+"/>")
	}},
	{"one long text", Table, func() []byte { return sheet("", "<si><t>"+strings.Repeat("x", 20<<20)+"</t></si>") }},
	{"one text of many pieces", Table, func() []byte {
		return sheet("", "<si>"+strings.Repeat("<r><t>xxxxxxxx</t></r>", 900_000)+"</si>")
	}},
	{"a cell that never ends", Table, func() []byte {
		return sheet(`<row><c t="str">`+strings.Repeat("<v>yyyyyyyy</v>", 1_000_000), "")
	}},
	{"one long comment", Table, func() []byte { return sheet("<!--"+strings.Repeat("<c/>", 5_000_000)+"-->", "") }},
	{"one long instruction", Table, func() []byte { return sheet("<?x "+strings.Repeat("y", 20<<20)+"?>", "") }},
	{"one long piece of CDATA", Table, func() []byte {
		return sheet("<![CDATA["+strings.Repeat("z", 20<<20)+"]]>", "")
	}},
	{"a declaration of entities", Table, func() []byte {
		return sheet("<!DOCTYPE a ["+strings.Repeat(`<!ENTITY b "bb">`, 1_000_000)+"]>", "")
	}},
	{"elements within elements", Table, func() []byte { return sheet(strings.Repeat("<row>", 4_000_000), "") }},
	{"sheets without count", Table, func() []byte {
		return zipped("xl/workbook.xml", "<workbook><sheets>"+strings.Repeat(`<sheet r:id="r"/>`, 900_000)+
			"</sheets></workbook>")
	}},
	{"relations without count", Table, func() []byte {
		return zipped("xl/_rels/workbook.xml.rels", "<R>"+many(`<Relationship Id="r%d" Target="s"/>`, 200_000)+"</R>")
	}},
	{"one text shared by a million cells", Table, sharedByMany},
	{"styles without count", Log, func() []byte {
		return zipped("xl/styles.xml", "<s><cellXfs>"+strings.Repeat("<xf/>", 20_000_000)+"</cellXfs></s>")
	}},
	{"formats without count", Log, func() []byte {
		return zipped("xl/styles.xml", "<s>"+many(`<numFmt numFmtId="%d" formatCode="h"/>`, 400_000)+"</s>")
	}},
	{"a list of thirty thousand parts", Log, func() []byte {
		parts := make([]string, 0, 60_000)
		for i := range 30_000 {
			parts = append(parts, fmt.Sprint(i), "")
		}
		return zipped(parts...)
	}},
	{"two sheets of sixty megabytes", Log, twoSheets},
	{"attributes of a row, a hundred megabytes", Log, func() []byte {
		return sheet("<row "+strings.Repeat(`a="" `, 20_000_000)+"/>", "")
	}},
	{"two bytes a letter", Log, func() []byte {
		return wide("time_s,volts,amps\n" + strings.Repeat("1,4,1\n", 5_200_000))
	}},
	{"two bytes a letter, each of three", Log, func() []byte { return wide(strings.Repeat("電", 31<<20)) }},
	{"halves of letters", Log, func() []byte {
		return append([]byte{0xff, 0xfe}, bytes.Repeat([]byte{0x3d, 0xd8}, 31<<20)...)
	}},
	{"a log of one letter a line", Log, func() []byte {
		return []byte("time_s,volts,amps\n" + strings.Repeat("1\n", 31<<20))
	}},
	{"a log of shortest samples", Log, func() []byte {
		return []byte("t,v,a\n" + strings.Repeat("1,4,1\n", 10<<20))
	}},
	{"a log with a quote that never ends", Log, func() []byte {
		return []byte("time_s,volts,amps\n0,4,\"" + strings.Repeat("1\n", 31<<20))
	}},
	{"twenty million pixels by nine", Picture, func() []byte { return claims(20_000_000, 9, 8, 0, 0) }},
	{"nine by twenty million", Picture, func() []byte { return claims(9, 20_000_000, 8, 0, 0) }},
	{"interlaced, all channels", Picture, func() []byte { return claims(6900, 6900, 8, 6, 1) }},
	{"grey with one colour transparent", Picture, func() []byte { return claims(13_000, 13_000, 8, 0, 0) }},
	{"a JPEG of scans without end", Picture, scans},
	{"a progressive JPEG of 25 million pixels", Picture, func() []byte { return progressive(5000, 5000, 1) }},
	{"a JPEG in four colours", Picture, fourColours},
	{"a WebP of code tables", Picture, codeTables},
	{"a PNG whose pixels unpack to more than it says", Picture, func() []byte { return inflated() }},
}

func many(format string, n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, format, i)
	}
	return b.String()
}

// zipped is a ZIP file of parts, each with its name before it.
func zipped(parts ...string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for i := 0; i+1 < len(parts); i += 2 {
		w, err := z.Create(parts[i])
		if err == nil {
			_, err = w.Write([]byte(parts[i+1]))
		}
		must(err)
	}
	must(z.Close())
	return b.Bytes()
}

func must(err error) {
	if err != nil {
		panic(err) // into memory: cannot fail
	}
}

func sheet(rows, shared string) []byte {
	return zipped("xl/workbook.xml", `<workbook><sheets><sheet name="A"/></sheets></workbook>`,
		"xl/worksheets/sheet1.xml", "<worksheet><sheetData>"+rows+"</sheetData></worksheet>",
		"xl/sharedStrings.xml", "<sst>"+shared+"</sst>")
}

func sharedByMany() []byte {
	var b strings.Builder
	for range 5000 {
		b.WriteString("<row>" + strings.Repeat(`<c t="s"><v>0</v></c>`, 190) + "</row>")
	}
	return sheet(b.String(), "<si><t>"+strings.Repeat("ж", 499)+"</t></si>")
}

func twoSheets() []byte {
	rows := strings.Repeat(`<row><c t="s"><v>0</v></c><c t="s"><v>0</v></c></row>`, 60_000)
	one := "<worksheet><sheetData>" + rows + "</sheetData></worksheet>"
	return zipped("xl/workbook.xml", `<workbook><sheets><sheet r:id="a"/><sheet r:id="b"/></sheets></workbook>`,
		"xl/_rels/workbook.xml.rels",
		`<R><Relationship Id="a" Target="a.xml"/><Relationship Id="b" Target="b.xml"/></R>`, "xl/a.xml", one,
		"xl/b.xml", one+" ", "xl/sharedStrings.xml", "<sst><si><t>"+strings.Repeat("x", 500)+"</t></si></sst>")
}

// wide is text of two bytes a letter.
func wide(text string) []byte {
	out := []byte{0xff, 0xfe}
	for _, r := range text {
		out = binary.LittleEndian.AppendUint16(out, utf16.Encode([]rune{r})[0])
	}
	return out
}

// chunk is a part of a PNG file.
func chunk(kind string, data []byte) []byte {
	out := binary.BigEndian.AppendUint32(nil, uint32(len(data)))
	body := append([]byte(kind), data...)
	return binary.BigEndian.AppendUint32(append(out, body...), crc32.ChecksumIEEE(body))
}

// claims is a whole PNG file of so many pixels, all nothing.
func claims(w, h int, depth, colours, interlaced byte) []byte {
	head := binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, uint32(w)), uint32(h))
	head = append(head, depth, colours, 0, 0, interlaced)
	var pixels bytes.Buffer
	z := zlib.NewWriter(&pixels)
	row := make([]byte, 1<<20)
	for left := h + w*h*map[byte]int{0: 1, 6: 4}[colours]; left > 0; left -= len(row) {
		_, err := z.Write(row[:min(left, len(row))])
		must(err)
	}
	must(z.Close())
	out := append([]byte("\x89PNG\r\n\x1a\n"), chunk("IHDR", head)...)
	if colours == 0 {
		out = append(out, chunk("tRNS", []byte{0, 1})...)
	}
	return append(append(out, chunk("IDAT", pixels.Bytes())...), chunk("IEND", nil)...)
}

// inflated is a small picture with a hundred megabytes behind its pixels.
func inflated() []byte {
	var b, pixels bytes.Buffer
	must(png.Encode(&b, image.NewGray(image.Rect(0, 0, 64, 64))))
	z := zlib.NewWriter(&pixels)
	for range 100 {
		_, err := z.Write(make([]byte, 1<<20))
		must(err)
	}
	must(z.Close())
	return append(append(b.Bytes()[:33:33], chunk("IDAT", pixels.Bytes())...), chunk("IEND", nil)...)
}

// progressive is the head of a progressive JPEG with one component, and so many scans that say nothing.
func progressive(w, h, n int) []byte {
	out := []byte{0xff, 0xd8, 0xff, 0xdb, 0, 67, 0}
	out = append(out, bytes.Repeat([]byte{1}, 64)...)
	out = append(out, 0xff, 0xc2, 0, 11, 8, byte(h>>8), byte(h), byte(w>>8), byte(w), 1, 1, 0x11, 0)
	// One code of one bit, which means a run of 32 767 blocks that hold nothing.
	out = append(out, 0xff, 0xc4, 0, 20, 0x10, 1)
	out = append(out, make([]byte, 15)...)
	out = append(out, 0xe0)
	for range n {
		out = append(out, 0xff, 0xda, 0, 8, 1, 1, 0, 1, 63, 0)
		out = append(out, bytes.Repeat([]byte{0x7f, 0x7f}, 14)...)
	}
	return append(out, 0xff, 0xd9)
}

func scans() []byte { return progressive(3000, 3000, 2000) }

func fourColours() []byte {
	m := image.NewRGBA(image.Rect(0, 0, 64, 64))
	m.Set(1, 1, color.White)
	var b bytes.Buffer
	must(jpeg.Encode(&b, m, nil))
	out := b.Bytes()
	at := bytes.Index(out, []byte{0xff, 0xc0})
	// The frame says four components of 12 000 × 12 000 pixels.
	frame := []byte{0xff, 0xc0, 0, 20, 8, 0x2e, 0xe0, 0x2e, 0xe0, 4, 1, 0x11, 0, 2, 0x11, 0, 3, 0x11, 0, 4, 0x11, 0}
	return append(append(bytes.Clone(out[:at]), frame...), out[at+19:]...)
}

// codeTables is a lossless WebP whose code tables would take most: random bits, most of which are tables.
func codeTables() []byte {
	x := uint64(11)
	body := []byte{0x2f, 0xff, 0xcf, 0xff, 0x03}
	for len(body) < 4<<20 {
		x = x*6364136223846793005 + 1442695040888963407
		body = binary.LittleEndian.AppendUint64(body, x)
	}
	out := append([]byte("RIFF"), binary.LittleEndian.AppendUint32(nil, uint32(len(body)+12))...)
	out = append(out, "WEBPVP8L"...)
	return append(binary.LittleEndian.AppendUint32(out, uint32(len(body))), body...)
}
