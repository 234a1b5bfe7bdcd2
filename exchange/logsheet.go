package exchange

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/xml"
	"errors"
	"iter"
	"math"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"
	"unicode/utf16"
	"unicode/utf8"

	"pandrel/core/test/logfile"
)

// Bounds of an XLSX file that holds a log: as many rows as a sheet can have.
const (
	maxLogUnpacked = 512 << 20 // read piece by piece, and not kept
	maxLogText     = 64 << 20
	maxLogTexts    = 80 << 20 // of two sheets, of which one is kept
	maxLogRows     = 1 << 20
	maxLogSheets   = 8
	maxStyles      = 65_500 // of cells; a spreadsheet takes 64 000
	maxFormats     = 5000
	maxFormat      = 1000 // bytes of one
)

// IsSheet reports whether data is a file of a spreadsheet.
func IsSheet(data []byte) bool { return bytes.HasPrefix(data, []byte("PK\x03\x04")) }

// LogText returns a log as text with columns. An XLSX file becomes text separated by tabs: of its sheets the one that
// holds most, its times written as times. Anything else stays as it is. It fails where the file is no sheet that could
// be read, or holds more than may be kept.
func LogText(ctx context.Context, data []byte) ([]byte, error) {
	if !IsSheet(data) {
		return fromUTF16(data)
	}
	b, err := openBook(ctx, data, maxLogUnpacked)
	if err != nil {
		return nil, err
	}
	b.times = []timeForm{}
	text, err := b.log()
	if errors.Is(err, errUnpacked) {
		return nil, fail(0, "too large: it unpacks to more than a log may have. Save the sheet as CSV")
	}
	return text, b.says(err)
}

func (b *book) log() ([]byte, error) {
	sheets, shared, err := b.where()
	if err != nil {
		return nil, err
	}
	if err := b.readShared(shared); err != nil {
		return nil, err
	}
	if err := b.readStyles(); err != nil {
		return nil, err
	}
	var best []byte
	for _, sheet := range sheets[:min(len(sheets), maxLogSheets)] {
		var out bytes.Buffer
		s := sheetReader{book: b, most: maxLogRows}
		s.each = func(rec []string) error {
			for len(rec) > 0 && rec[len(rec)-1] == "" {
				rec = rec[:len(rec)-1]
			}
			for i, c := range rec {
				if i > 0 {
					out.WriteByte('\t')
				}
				out.WriteString(oneLine.Replace(c))
			}
			out.WriteByte('\n')
			if out.Len() > maxLogText || out.Len()+len(best) > maxLogTexts {
				return errUnpacked
			}
			return nil
		}
		if _, err := b.tokens(sheet, s.token); err != nil {
			return nil, err
		}
		if out.Len() > len(best) {
			best = out.Bytes()
		}
	}
	if len(bytes.TrimSpace(best)) == 0 {
		return nil, fail(0, "empty: expected a sheet with a line of column names and a line for each sample")
	}
	return best, nil
}

// ReadLog reads a log, text or sheet, on all cores.
func ReadLog(ctx context.Context, data []byte, opt logfile.ParseOptions) (*logfile.Log, error) {
	text, err := LogText(ctx, data)
	if err != nil {
		return nil, err
	}
	if ctx.Err() != nil { // nobody waits for it any more
		return nil, ctx.Err()
	}
	opt.Beside = beside
	return logfile.ParseWith(text, opt)
}

// beside runs do with each number below n, as many at once as there are cores.
func beside(n int, do func(i int)) {
	workers := min(n, runtime.GOMAXPROCS(0))
	if workers < 2 {
		for i := range n {
			do(i)
		}
		return
	}
	var next atomic.Int64
	var all sync.WaitGroup
	for range workers {
		all.Go(func() {
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				do(i)
			}
		})
	}
	all.Wait()
}

var oneLine = strings.NewReplacer("\t", " ", "\r", " ", "\n", " ")

// fromUTF16 turns text of two bytes a letter, as some loggers write it, into the usual; anything else stays. It fails
// where the usual would have more bytes than a log may.
func fromUTF16(data []byte) ([]byte, error) {
	if len(data) < 2 || len(data)%2 != 0 {
		return data, nil
	}
	var order binary.ByteOrder = binary.LittleEndian
	switch {
	case data[0] == 0xff && data[1] == 0xfe:
	case data[0] == 0xfe && data[1] == 0xff:
		order = binary.BigEndian
	default:
		return data, nil
	}
	size := 0
	for r := range runes16(data[2:], order) {
		size += utf8.RuneLen(r)
	}
	if size > maxLogText {
		return nil, fail(0, "the text would take %d MiB: expected at most %d MiB. Save it as UTF-8, or cut it "+
			"into its cycles", size>>20, maxLogText>>20)
	}
	out := make([]byte, 0, size)
	for r := range runes16(data[2:], order) {
		out = utf8.AppendRune(out, r)
	}
	return out, nil
}

// runes16 are the letters of text of two bytes each, or four where two belong together.
func runes16(data []byte, order binary.ByteOrder) iter.Seq[rune] {
	return func(yield func(rune) bool) {
		for i := 0; i+1 < len(data); i += 2 {
			r := rune(order.Uint16(data[i:]))
			if utf16.IsSurrogate(r) {
				next := rune(utf8.RuneError)
				if i+3 < len(data) {
					next = rune(order.Uint16(data[i+2:]))
				}
				if r = utf16.DecodeRune(r, next); r != utf8.RuneError {
					i += 2
				}
			}
			if !yield(r) {
				return
			}
		}
	}
}

// timeForm is how a style of cells shows its numbers.
type timeForm int

const (
	plainNumber timeForm = iota
	dateTime
	timeOfDay
	elapsed // hours that go on behind 24
)

// formOf tells from a number's format whether it is a time. Numbers from 14 on are those that every spreadsheet knows.
func formOf(id int, code string) timeForm {
	switch {
	case id >= 14 && id <= 17 || id == 22:
		return dateTime
	case id == 46:
		return elapsed
	case id >= 18 && id <= 21 || id == 45 || id == 47:
		return timeOfDay
	}
	s := strings.ToLower(unquoted(code))
	switch {
	case strings.Contains(s, "[h") || strings.Contains(s, "[m") || strings.Contains(s, "[s"):
		return elapsed
	case strings.Contains(s, "yy") || strings.Contains(s, "d") && !strings.Contains(s, "[red]"):
		return dateTime
	case strings.Contains(s, "h") || strings.Contains(s, "mm:ss"):
		return timeOfDay
	}
	return plainNumber
}

// unquoted is a format without the texts in it, and without that of numbers below zero.
func unquoted(code string) string {
	var b strings.Builder
	quoted := false
	for i := 0; i < len(code); i++ {
		switch c := code[i]; {
		case c == '"':
			quoted = !quoted
		case c == '\\':
			i++
		case c == ';' && !quoted:
			return b.String()
		case !quoted:
			b.WriteByte(c)
		}
	}
	return b.String()
}

// readStyles finds the styles whose numbers are times.
func (b *book) readStyles() error {
	codes := map[int]string{}
	in := false
	_, err := b.tokens("xl/styles.xml", func(_ *xml.Decoder, t xml.Token) error {
		switch t := t.(type) {
		case xml.StartElement:
			id, _ := strconv.Atoi(attr(t, "numFmtId"))
			switch t.Name.Local {
			case "numFmt":
				code := attr(t, "formatCode")
				if codes[id] = code; len(codes) > maxFormats || len(code) > maxFormat {
					return errCount
				}
			case "cellXfs":
				in = true
			case "xf":
				if in {
					if b.times = append(b.times, formOf(id, codes[id])); len(b.times) > maxStyles {
						return errCount
					}
				}
			}
		case xml.EndElement:
			if t.Name.Local == "cellXfs" {
				in = false
			}
		}
		return nil
	})
	return err
}

// text writes a number of days as the time it is.
func (f timeForm) text(number string, epoch1904 bool) string {
	days, err := strconv.ParseFloat(number, 64)
	if f == plainNumber || err != nil || math.IsNaN(days) || days < 0 || days > 1e5 {
		return number
	}
	ms := math.Round(days * 86400e3)
	if f == elapsed || f == timeOfDay && days >= 1 || days < 1 {
		h := math.Floor(ms / 3600e3)
		at := time.Time{}.Add(time.Duration(ms-h*3600e3) * time.Millisecond)
		return strconv.Itoa(int(h)) + at.Format(":04:05.000")
	}
	epoch := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	if epoch1904 {
		epoch = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	}
	return epoch.Add(time.Duration(ms) * time.Millisecond).Format("2006-01-02 15:04:05.000")
}
