package exchange

import (
	"bytes"
	"context"
	"image"
	"image/draw"
	"io"
)

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

// decode unpacks a picture whose cost was asked before. It ends when nobody waits for it any more.
func decode(ctx context.Context, data []byte) (image.Image, error) {
	m, _, err := image.Decode(waited{ctx, bytes.NewReader(data)})
	return m, err
}

// waited is read as long as somebody waits for what it is read for.
type waited struct {
	ctx context.Context
	io.Reader
}

func (r waited) Read(p []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	return r.Reader.Read(p)
}
