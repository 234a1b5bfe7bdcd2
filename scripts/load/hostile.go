package main

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"pandrel/scripts/load/harm"
)

// mostMemory in MiB is what one request, and eight at once, may raise the program to.
const mostMemory = 512

// harmful is a file that means harm, where it is sent, and as what.
type harmful struct {
	name, page, to, field string
	data                  func() []byte
	keep                  bool // saved at once, without a look before
}

var harmfuls = []harmful{
	{"a sheet with far cells", "/import?kind=modules&lot=1", "/import", "file", farCells, false},
	{"a sheet that unpacks to 500 MiB", "/import?kind=modules&lot=1", "/import", "file", sheetBomb, false},
	{"a sheet of a million texts", "/import?kind=modules&lot=1", "/import", "file", manyTexts, false},
	{"a table of 1 MB in one line", "/import?kind=modules&lot=1", "/import", "file",
		func() []byte { return []byte("a;b\n" + strings.Repeat(";", 900_000)) }, false},
	{"a log with a header of 60 MiB", "/modules/K-110/test", "/modules/K-110/trace", "file",
		func() []byte { return []byte("time_s;volts" + strings.Repeat(";g", 30<<20)) }, false},
	{"a log of 60 MiB of empty lines", "/modules/K-110/test", "/modules/K-110/trace", "file",
		func() []byte { return []byte("time_s,volts,amps\n0,4,0\n" + strings.Repeat("\n", 60<<20)) }, false},
	{"a log of 4 million samples", "/modules/K-110/test", "/modules/K-110/trace", "file", longLog, false},
	{"the same, kept", "/modules/K-110/test", "/modules/K-110/trace", "file", longLog, true},
	{"a log of 7 groups of 16 digits", "/modules/K-110/test", "/modules/K-110/trace", "file", wideLog, true},
	{"a log of 60 MiB of noise", "/modules/K-110/test", "/modules/K-110/trace", "file", noiseLog, false},
	{"a picture of 600 KB, 20 000 pixels wide", "/modules/K-110", "/modules/K-110/pictures", "picture", widePNG, false},
	{"a picture of 16 bits a channel", "/modules/K-110", "/modules/K-110/pictures", "picture", deepPNG, false},
	{"a picture that claims 65 535 pixels", "/modules/K-110", "/modules/K-110/pictures", "picture", claimed, false},
	{"a photograph of 48 million pixels", "/modules/K-110", "/modules/K-110/pictures", "picture", photograph, false},
}

// all are those above, and those of package harm, each where its kind is sent.
func all() []harmful {
	out := slices.Clone(harmfuls)
	for _, f := range harm.Files {
		h := harmful{name: f.Name, page: "/modules/K-110", to: "/modules/K-110/pictures", field: "picture",
			data: f.Data}
		switch f.Kind {
		case harm.Table:
			h.page, h.to, h.field = "/import?kind=modules&lot=1", "/import", "file"
		case harm.Log:
			h.page, h.to, h.field = "/modules/K-110/test", "/modules/K-110/trace", "file"
		}
		out = append(out, h)
	}
	return out
}

// hostile sends each file alone to a program of its own, then eight of each at once to one program.
func hostile(ctx context.Context, e effort, dir string) error {
	full := filepath.Join(dir, "full")
	if err := os.Mkdir(full, 0o700); err != nil {
		return err
	}
	if err := fill(ctx, full, 0); err != nil {
		return err
	}
	var failed error
	var waited time.Duration
	defer func() { fmt.Printf("hostile: another's picture waited %.2f s at most\n", waited.Seconds()) }()
	for i, h := range all() {
		if !strings.Contains(h.name, e.file) {
			continue
		}
		for _, n := range []int{1, 8} {
			where, err := fresh(full, fmt.Sprintf("h%d-%d", i, n))
			if err != nil {
				return err
			}
			peak, codes, took, beside, err := h.send(ctx, where, n)
			if err != nil {
				return fmt.Errorf("%s: %w", h.name, err)
			}
			fmt.Printf("hostile: %-42s × %d: peak %4d MiB, answers %v, %.1f s, another's picture beside it %.2f s\n",
				h.name, n, peak, codes, took.Seconds(), beside.Seconds())
			waited = max(waited, beside)
			if peak > mostMemory {
				failed = errors.Join(failed, fmt.Errorf("%s × %d took %d MiB, at most %d", h.name, n, peak, mostMemory))
			}
			if codes[500] > 0 {
				failed = errors.Join(failed, fmt.Errorf("%s × %d was answered with 500", h.name, n))
			}
		}
	}
	return failed
}

// send sends a file n times at once, and in the middle of them a picture from a tablet. It returns the most memory the
// program took, how it answered, and how long that picture took.
func (h harmful) send(ctx context.Context, dir string, n int) (peak int, codes map[int]int, took, beside time.Duration,
	err error) {
	p, err := start(dir)
	if err != nil {
		return 0, nil, 0, 0, err
	}
	defer p.kill()
	data := h.data()
	codes = map[int]int{}
	var lock sync.Mutex
	var wg sync.WaitGroup
	begin := time.Now()
	for i := range n {
		wg.Go(func() {
			b := p.browser()
			_, _, gerr := b.get(ctx, h.page)
			code, _, perr := b.upload(ctx, h.to, fmt.Sprintf("hostile-token-%d", i), attached{h.field, "a.dat",
				data}, h.values())
			lock.Lock()
			defer lock.Unlock()
			codes[code]++
			err = errors.Join(err, gerr, perr)
		})
	}
	b := p.browser()
	_, _, gerr := b.get(ctx, "/modules/K-111")
	time.Sleep(300 * time.Millisecond)
	small := time.Now()
	code, _, perr := b.upload(ctx, "/modules/K-111/pictures", "small-picture", attached{"picture", "a.jpg",
		tablet()}, url.Values{"by": {"BQ"}})
	beside = time.Since(small)
	wg.Wait()
	if code != http.StatusSeeOther {
		perr = errors.Join(perr, fmt.Errorf("another's picture beside it was answered with %d", code))
	}
	took = time.Since(begin)
	peak, merr := p.peak()
	return peak, codes, took, beside, errors.Join(err, gerr, perr, merr)
}

// tablet is a picture of three million pixels as a tablet takes it.
var tablet = sync.OnceValue(func() []byte {
	m := image.NewRGBA(image.Rect(0, 0, 2000, 1500))
	for i := range m.Pix {
		m.Pix[i] = uint8(i >> 9)
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, m, &jpeg.Options{Quality: 80}); err != nil {
		panic(err) // into memory: cannot fail
	}
	return b.Bytes()
})

func (h harmful) values() url.Values {
	v := url.Values{"by": {"AK"}, "kind": {"modules"}, "lot": {"1"}}
	if h.keep {
		v.Set("keep", "held")
	}
	return v
}

func zipped(parts map[string]string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range parts {
		w, err := z.Create(name)
		if err == nil {
			_, err = w.Write([]byte(text))
		}
		if err != nil {
			panic(err) // into memory: cannot fail
		}
	}
	_ = z.Close()
	return b.Bytes()
}

func sheetOf(rows, shared string) []byte {
	return zipped(map[string]string{"xl/workbook.xml": `<workbook><sheets><sheet name="A"/></sheets></workbook>`,
		"xl/worksheets/sheet1.xml": "<worksheet><sheetData>" + rows + "</sheetData></worksheet>",
		"xl/sharedStrings.xml":     "<sst>" + shared + "</sst>"})
}

func farCells() []byte {
	var b strings.Builder
	for r := 1; r <= 100_000; r++ {
		fmt.Fprintf(&b, `<row r="%d"><c r="XFD%d"><v>1</v></c></row>`, r, r)
	}
	return sheetOf(b.String(), "")
}

func sheetBomb() []byte { return sheetOf(strings.Repeat(" ", 500<<20), "") }

func manyTexts() []byte { return sheetOf("", strings.Repeat("<si><t>x</t></si>", 1<<20)) }

func longLog() []byte {
	var b bytes.Buffer
	b.WriteString("time_s,volts,amps\n")
	for i := range 4_000_000 {
		fmt.Fprintf(&b, "%d,3.%d,-1\n", i, 900-i/10000)
	}
	return b.Bytes()
}

func wideLog() []byte {
	b := bytes.NewBufferString("time_s,volts,amps,cell 1 V,cell 2 V,cell 3 V,cell 4 V,cell 5 V,cell 6 V,cell 7 V\n")
	for i := 0; b.Len() < 60<<20; i++ {
		fmt.Fprintf(b, "%d,25.%012d,-1", i, i%1_000_000)
		for g := range 7 {
			fmt.Fprintf(b, ",3.%d%011d", 5+g%3, i%1_000_000)
		}
		b.WriteByte('\n')
	}
	return b.Bytes()
}

func noiseLog() []byte {
	b := bytes.NewBufferString("time_s,volts,amps\n")
	x := uint64(7)
	for b.Len() < 60<<20 {
		x = x*6364136223846793005 + 1442695040888963407
		fmt.Fprintf(b, "%d,%x,%d\n", x>>40, x, x>>33)
	}
	return b.Bytes()
}

func widePNG() []byte {
	m := image.NewGray(image.Rect(0, 0, 20_000, 9_000))
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		panic(err)
	}
	return b.Bytes()
}

func deepPNG() []byte {
	m := image.NewNRGBA64(image.Rect(0, 0, 6000, 4000))
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		panic(err)
	}
	return b.Bytes()
}

func claimed() []byte {
	head := []byte("IHDR\x00\x00\xff\xff\x00\x00\xff\xff\x10\x06\x00\x00\x00")
	return binary.BigEndian.AppendUint32(append([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00\r"), head...),
		crc32.ChecksumIEEE(head))
}

func photograph() []byte {
	m := image.NewRGBA(image.Rect(0, 0, 8000, 6000))
	for i := range m.Pix {
		m.Pix[i] = uint8(i >> 9)
	}
	m.Set(0, 0, color.Black)
	var b bytes.Buffer
	if err := jpeg.Encode(&b, m, &jpeg.Options{Quality: 60}); err != nil {
		panic(err)
	}
	return b.Bytes()
}
