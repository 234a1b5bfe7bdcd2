package exchange

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/color"
	"image/draw"
)

// maxDecoded is how many bytes an unpacked picture may take. Pixels say little: one of sixteen bits and four channels
// takes eight bytes, and a progressive JPEG five times what it shows.
const maxDecoded = 192 << 20

// decodedBytes is what unpacking a picture will take.
func decodedBytes(c image.Config, kind string, data []byte) int64 {
	perPixel := 4
	switch c.ColorModel {
	case color.GrayModel, color.AlphaModel:
		perPixel = 1
	case color.Gray16Model, color.Alpha16Model:
		perPixel = 2
	case color.YCbCrModel:
		perPixel = 3
	case color.RGBA64Model, color.NRGBA64Model:
		perPixel = 8
	}
	if _, ok := c.ColorModel.(color.Palette); ok {
		perPixel = 1
	}
	if kind == "jpeg" && progressive(data) {
		perPixel *= 5 // its coefficients of four bytes are kept until the last scan
	}
	return int64(perPixel) * int64(c.Width) * int64(c.Height)
}

// progressive reports whether a JPEG file comes in several scans: its frame header is not the plain one.
func progressive(data []byte) bool {
	for i := 2; i+4 <= len(data) && data[i] == 0xFF; {
		switch m := data[i+1]; {
		case m == 0xFF: // filling
			i++
			continue
		case m == 0xC0 || m == 0xC1 || m == 0xDA:
			return false
		case m == 0xC2:
			return true
		}
		i += 2 + int(binary.BigEndian.Uint16(data[i+2:]))
	}
	return true // not understood: the dearer one
}

// reduced is src on white, made smaller by a whole number so that its longer side is at least atLeast, in strips: the
// filter that comes after it takes memory for every row that it is given.
func reduced(src image.Image, atLeast int) *image.RGBA {
	r := src.Bounds()
	k := max(1, max(r.Dx(), r.Dy())/atLeast)
	w, h := max(1, r.Dx()/k), max(1, r.Dy()/k)
	kx, ky := min(k, r.Dx()), min(k, r.Dy())
	out := image.NewRGBA(image.Rect(0, 0, w, h))
	strip := image.NewRGBA(image.Rect(0, 0, r.Dx(), ky))
	for y := range h {
		draw.Draw(strip, strip.Bounds(), image.White, image.Point{}, draw.Src) // under what is transparent
		draw.Draw(strip, strip.Bounds(), src, image.Pt(r.Min.X, r.Min.Y+y*ky), draw.Over)
		for x := range w {
			var sum [3]int
			for j := range ky {
				for p := strip.PixOffset(x*kx, j); p < strip.PixOffset(x*kx, j)+4*kx; p += 4 {
					sum[0] += int(strip.Pix[p])
					sum[1] += int(strip.Pix[p+1])
					sum[2] += int(strip.Pix[p+2])
				}
			}
			at := out.PixOffset(x, y)
			for c, s := range sum {
				out.Pix[at+c] = uint8((s + kx*ky/2) / (kx * ky))
			}
			out.Pix[at+3] = 0xFF
		}
	}
	return out
}

// decode unpacks a picture whose cost was asked before.
func decode(data []byte) (image.Image, error) {
	m, _, err := image.Decode(bytes.NewReader(data))
	return m, err
}
