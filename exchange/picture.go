package exchange

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"image"
	"image/jpeg"
	_ "image/png" // pictures come as PNG too
	"io"

	"golang.org/x/image/draw"
	_ "golang.org/x/image/webp" // and as WebP from some tablets
)

// Bounds of pictures.
const (
	MaxPictureBytes = 20 << 20
	longestSide     = 1600
	jpegQuality     = 82
)

// Picture is a picture ready to be kept: JPEG, upright, at most 1600 pixels long, with nothing in the
// file but the picture. Place, time, maker and device that a camera writes into its files are gone.
type Picture struct {
	JPEG          []byte
	Width, Height int
}

// ReadPicture reads a JPEG, PNG or WebP file. It is turned as its camera says it should be seen.
// Errors say what was expected; it ends with ctx, when nobody waits for it any more.
func ReadPicture(ctx context.Context, data []byte) (Picture, error) {
	if len(data) == 0 {
		return Picture{}, fail(0, "the picture is empty: expected a JPEG, PNG or WebP file")
	}
	if len(data) > MaxPictureBytes {
		return Picture{}, fail(0, "the picture has %.0f MiB: expected at most %d MiB", float64(len(data))/(1<<20),
			MaxPictureBytes>>20)
	}
	c, kind, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return Picture{}, fail(0, "not a picture that can be read: expected a JPEG, PNG or WebP file. Some tablets "+
			"have a setting 'most compatible' for that")
	}
	if why := costOf(c, kind, data).fits(c); why != "" {
		return Picture{}, fail(0, "%s", why)
	}
	src, err := decode(ctx, data)
	if ctx.Err() != nil {
		return Picture{}, ctx.Err()
	}
	if err != nil {
		return Picture{}, fail(0, "the picture is damaged: %v. Take it again", err)
	}
	turn := 1
	if kind == "jpeg" {
		turn = orientation(data)
	}
	w, h := src.Bounds().Dx(), src.Bounds().Dy()
	if long := max(w, h); long > longestSide {
		w, h = max(1, w*longestSide/long), max(1, h*longestSide/long)
	}
	flat := image.NewRGBA(image.Rect(0, 0, w, h))
	small := reduced(src, longestSide)
	draw.ApproxBiLinear.Scale(flat, flat.Bounds(), small, small.Bounds(), draw.Src, nil)
	upright := orient(flat, turn)
	var b bytes.Buffer
	if err := jpeg.Encode(&b, upright, &jpeg.Options{Quality: jpegQuality}); err != nil {
		return Picture{}, fmt.Errorf("write picture: %w", err)
	}
	return Picture{b.Bytes(), upright.Bounds().Dx(), upright.Bounds().Dy()}, nil
}

// orient applies an EXIF orientation, 1…8.
func orient(src *image.RGBA, turn int) *image.RGBA {
	w, h := src.Bounds().Dx(), src.Bounds().Dy()
	if turn < 2 || turn > 8 {
		return src
	}
	ow, oh := w, h
	if turn >= 5 {
		ow, oh = h, w
	}
	out := image.NewRGBA(image.Rect(0, 0, ow, oh))
	for y := range oh {
		for x := range ow {
			sx, sy := x, y
			switch turn {
			case 2:
				sx = w - 1 - x
			case 3:
				sx, sy = w-1-x, h-1-y
			case 4:
				sy = h - 1 - y
			case 5:
				sx, sy = y, x
			case 6:
				sx, sy = y, h-1-x
			case 7:
				sx, sy = w-1-y, h-1-x
			case 8:
				sx, sy = w-1-y, x
			}
			out.SetRGBA(x, y, src.RGBAAt(sx, sy))
		}
	}
	return out
}

// orientation reads the EXIF orientation of a JPEG file, 1 where there is none or it makes no sense.
func orientation(data []byte) int {
	r := bytes.NewReader(data[2:])
	for {
		var head [4]byte
		if _, err := io.ReadFull(r, head[:]); err != nil || head[0] != 0xFF || head[1] == 0xDA {
			return 1
		}
		size := int(binary.BigEndian.Uint16(head[2:])) - 2
		if size < 0 || size > r.Len() {
			return 1
		}
		body := make([]byte, size)
		if _, err := io.ReadFull(r, body); err != nil {
			return 1
		}
		if head[1] == 0xE1 && bytes.HasPrefix(body, []byte("Exif\x00\x00")) {
			return tiffOrientation(body[6:])
		}
	}
}

// tiffOrientation finds tag 0x0112 in the first directory of a TIFF block.
func tiffOrientation(b []byte) int {
	if len(b) < 8 {
		return 1
	}
	var order binary.ByteOrder = binary.LittleEndian
	if b[0] == 'M' {
		order = binary.BigEndian
	}
	at := int(order.Uint32(b[4:]))
	if at < 8 || at > len(b)-2 {
		return 1
	}
	n := int(order.Uint16(b[at:]))
	for i := range n {
		e := at + 2 + 12*i
		if e+12 > len(b) {
			return 1
		}
		if order.Uint16(b[e:]) == 0x0112 {
			if v := int(order.Uint16(b[e+8:])); v >= 1 && v <= 8 {
				return v
			}
			return 1
		}
	}
	return 1
}
