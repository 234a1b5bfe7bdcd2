package draw

import (
	"fmt"
	"strings"

	"github.com/boombuler/barcode/qr"
)

// Label is one sticker: a number that is read across the bench, a code that opens the module, and
// the part it belongs on.
type Label struct {
	Number string
	Part   string // "" for the module itself
	Type   string
	Code   string // the address in the code
}

// SVG draws the label in a box of 66 × 25 units, which are millimetres when printed on that size.
// It fails when the address is too long for a code of level M.
func (l Label) SVG() (string, error) {
	c := open(66, 25, "label", "Label "+l.Number, strings.TrimSpace(l.Type+" "+l.Part))
	path, size, err := qrPath(l.Code)
	if err != nil {
		return "", err
	}
	const side, x, y = 21.0, 2.0, 2.0
	const stroke = `<path class="dr-code" stroke="#000" stroke-width="1.01" d="`
	fmt.Fprintf(&c.b, `<g transform="translate(%s %s) scale(%.4f)">%s%s"/></g>`+"\n", num(x), num(y),
		side/float64(size), stroke, path)
	big := min(9.0, 40/textWidth(l.Number, 1))
	c.text("dr-ink num", 26, 11, big, "start", l.Number)
	c.text("dr-ink", 26, 16, 3.6, "start", l.Type)
	if l.Part != "" {
		c.text("dr-ink", 26, 21, 4, "start", l.Part)
	}
	return c.close(), nil
}

// TestLabel is the sticker of a tested module: what it holds, its class, and under which conditions that was found.
type TestLabel struct {
	Number     string
	Type       string
	Ah         string // "" for one that was not tested
	SoH        string // per cent of rated
	Class      string // "" while nobody has graded it
	Date       string
	Conditions string
	Code       string
}

// SVG draws the label in a box of 66 × 25 units, as Label does.
func (l TestLabel) SVG() (string, error) {
	c := open(66, 25, "label", "Test label "+l.Number, strings.TrimSpace(l.Ah+" "+l.Class))
	path, size, err := qrPath(l.Code)
	if err != nil {
		return "", err
	}
	const stroke = `<path class="dr-code" stroke="#000" stroke-width="1.01" d="`
	fmt.Fprintf(&c.b, `<g transform="translate(2 2) scale(%.4f)">%s%s"/></g>`+"\n", 21/float64(size), stroke, path)
	c.text("dr-ink num", 26, 6.5, min(5.5, 26/textWidth(l.Number, 1)), "start", l.Number)
	if l.Class != "" {
		c.text("dr-ink num", 64, 8.5, 8.5, "end", l.Class)
	}
	if l.Ah == "" {
		c.text("dr-ink", 26, 14, 5, "start", "not tested")
		c.text("dr-ink", 26, 19, 3.4, "start", l.Type)
		return c.close(), nil
	}
	c.text("dr-ink num", 26, 13.6, 6.5, "start", l.Ah)
	c.text("dr-ink num", 64, 13.6, 4.2, "end", l.SoH)
	c.text("dr-ink", 26, 17.6, min(3.2, 38/textWidth(l.Conditions, 1)), "start", l.Conditions)
	c.text("dr-ink", 26, 22, 3.2, "start", strings.TrimSpace(l.Type+"  "+l.Date))
	return c.close(), nil
}

// qrPath encodes text and returns its dark squares as one path in a grid of size units.
func qrPath(text string) (path string, size int, err error) {
	code, err := qr.Encode(text, qr.M, qr.Auto)
	if err != nil {
		return "", 0, fmt.Errorf("code for %q: %w", text, err)
	}
	b := code.Bounds()
	size = b.Dx()
	// A row of dark squares is one stroke as wide as a square, from where the last one ended: half the bytes of boxes.
	var d strings.Builder
	x, y := 0, 0
	for row := range size {
		for col := 0; col < size; col++ {
			if r, _, _, _ := code.At(b.Min.X+col, b.Min.Y+row).RGBA(); r > 0x8000 {
				continue
			}
			run := col
			for run < size {
				if r, _, _, _ := code.At(b.Min.X+run, b.Min.Y+row).RGBA(); r > 0x8000 {
					break
				}
				run++
			}
			if d.Len() == 0 {
				fmt.Fprintf(&d, "M%d %d.5h%d", col, row, run-col)
			} else {
				fmt.Fprintf(&d, "m%d %dh%d", col-x, row-y, run-col)
			}
			x, y = run, row
			col = run
		}
	}
	return d.String(), size, nil
}
