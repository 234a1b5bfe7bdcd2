package exchange

import (
	"archive/zip"
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"image"
	"image/color"
	"io"
)

// Bounds of what unpacking a picture may take. Pixels say little: one of sixteen bits and four channels takes eight
// bytes, a progressive JPEG keeps its coefficients beside what it shows, and one side may be all of it.
const (
	maxDecoded = 192 << 20 // bytes
	maxSide    = 30_000    // pixels
	maxScans   = 100       // of a JPEG; cameras write up to 14
	maxVisits  = 12 << 20  // blocks of 64 pixels, each time a scan goes over one
)

// cost is what unpacking a picture will take: bytes at the most, and for a JPEG the scans and how often a block is
// visited by one.
type cost struct {
	bytes         int64
	scans, visits int64
}

// fits says, for a person, why a picture is not unpacked; "" where it is.
func (k cost) fits(c image.Config) string {
	switch {
	case c.Width < 8 || c.Height < 8 || c.Width > maxSide || c.Height > maxSide:
		return fmt.Sprintf("the picture has %d × %d pixels: expected 8 to %d on each side", c.Width, c.Height, maxSide)
	case k.bytes > maxDecoded:
		return fmt.Sprintf("the picture has %d × %d pixels and would take %d MiB unpacked: expected at most %d MiB. "+
			"Take it with fewer pixels, or save it as a plain JPEG", c.Width, c.Height, k.bytes>>20, maxDecoded>>20)
	case k.scans > maxScans || k.visits > maxVisits:
		return fmt.Sprintf("the picture is drawn in %d passes over %d × %d pixels: expected one that a camera wrote. "+
			"Save it as a plain JPEG", k.scans, c.Width, c.Height)
	}
	return ""
}

// costOf asks the head of a file, before anything is unpacked.
func costOf(c image.Config, kind string, data []byte) cost {
	pixels := int64(c.Width) * int64(c.Height)
	switch kind {
	case "jpeg":
		return jpegCost(data)
	case "webp":
		return cost{bytes: 8*pixels + losslessBytes(data)}
	}
	perPixel := int64(4) // a grey PNG too: one that names a colour as transparent is unpacked with all channels
	switch c.ColorModel {
	case color.Gray16Model, color.RGBA64Model, color.NRGBA64Model:
		perPixel = 8
	}
	if _, ok := c.ColorModel.(color.Palette); ok {
		perPixel = 1
	}
	if len(data) > 28 && data[28] != 0 { // interlaced: each pass is a picture of its own beside the whole
		perPixel *= 2
	}
	return cost{bytes: perPixel * pixels}
}

// jpegCost reads the markers of a JPEG file: its frame with the sampling of each component, and how many scans there
// are, each of which goes over the blocks of the components that it names.
func jpegCost(data []byte) cost {
	var k cost
	var all int64
	of := map[byte]int64{}
	extra := int64(0) // bytes a pixel for turning it into other colours
	pixels := int64(0)
	for i := 2; ; {
		at := bytes.IndexByte(data[min(i, len(data)):], 0xFF)
		if at < 0 || i+at+4 > len(data) {
			break
		}
		i += at
		m := data[i+1]
		if m == 0xFF {
			i++
			continue
		}
		if m == 0 || m == 1 || m >= 0xD0 && m <= 0xD9 { // of a scan's own bytes, or without a body
			i += 2
			continue
		}
		size := int(binary.BigEndian.Uint16(data[i+2:]))
		body := data[min(i+4, len(data)):min(max(i+4, i+2+size), len(data))]
		switch {
		case m >= 0xC0 && m <= 0xC2 && len(body) >= 6 && pixels == 0:
			var extraPixel int64
			pixels, of, all, extraPixel = frameOf(body)
			extra = max(extra, extraPixel)
			k.bytes = 64 * all
			if m == 0xC2 {
				k.bytes += 4 * 64 * all // coefficients of four bytes, kept until the last scan
			}
		case m == 0xEE && bytes.HasPrefix(body, []byte("Adobe")) && len(body) >= 12 && body[11] == 0:
			extra = max(extra, 4)
		case m == 0xDA && len(body) > 0:
			k.scans++
			k.visits += max(scanned(body, of), 1)
		}
		i += 2 + max(size, 2)
	}
	k.bytes += extra * pixels
	return k
}

// scanned is how many blocks a scan goes over, by its header.
func scanned(body []byte, of map[byte]int64) (blocks int64) {
	for j := 0; j < int(body[0]) && 1+2*j < len(body); j++ {
		blocks += of[body[1+2*j]]
	}
	return blocks
}

// frameOf reads a frame's header: its pixels, the blocks of each component by its name and of all of them, and the
// bytes a pixel that other colours take.
func frameOf(body []byte) (pixels int64, of map[byte]int64, all, extra int64) {
	h, w, n := int64(binary.BigEndian.Uint16(body[1:])), int64(binary.BigEndian.Uint16(body[3:])), int(body[5])
	of = map[byte]int64{}
	hMost, vMost := int64(1), int64(1)
	for j := range n {
		if 6+3*j+2 < len(body) {
			hMost, vMost = max(hMost, int64(body[7+3*j]>>4)), max(vMost, int64(body[7+3*j]&15))
		}
	}
	across, down := (w+8*hMost-1)/(8*hMost), (h+8*vMost-1)/(8*vMost)
	names := ""
	for j := range n {
		if 6+3*j+2 >= len(body) {
			break
		}
		blocks := across * int64(body[7+3*j]>>4) * down * int64(body[7+3*j]&15)
		of[body[6+3*j]] += blocks
		all += blocks
		names += string(rune(body[6+3*j]))
	}
	switch {
	case n == 4:
		extra = 8
	case names == "RGB":
		extra = 4
	}
	return w * h, of, all, extra
}

// losslessBytes is the most that the code tables of the lossless parts of a WebP file take: a table for each few bytes,
// and far more for it than stands in the file.
func losslessBytes(data []byte) (n int64) {
	for i := 12; i+8 <= len(data); {
		size := int64(binary.LittleEndian.Uint32(data[i+4:]))
		if kind := string(data[i : i+4]); kind == "VP8L" || kind == "ALPH" {
			here := min(size, int64(len(data)-i))
			n += min(1<<16, here/3)*2700 + 260*here
		}
		i += int(min(8+size+size&1, int64(len(data))))
	}
	return n
}

// Takes is the most memory that reading a file of size bytes takes beside the file, whatever it is: told from its head,
// before anything is unpacked.
func Takes(file io.ReaderAt, size int64) (int64, error) {
	head := make([]byte, min(size, 256<<10))
	if _, err := file.ReadAt(head, 0); err != nil && !errors.Is(err, io.EOF) {
		return 0, err
	}
	if IsSheet(head) {
		z, err := zip.NewReader(file, size)
		if err != nil {
			return size, nil // will not be read
		}
		unpacked := int64(0)
		for _, p := range z.File {
			unpacked += int64(min(p.UncompressedSize64, maxLogUnpacked))
		}
		if unpacked > smallSheet { // texts that its cells share stand there each time
			return min(max(sheetTakes*unpacked, sheetAtLeast), mostSheetTakes), nil
		}
		return sheetTakes * unpacked, nil
	}
	if c, kind, err := image.DecodeConfig(bytes.NewReader(head)); err == nil {
		return min(costOf(c, kind, head).bytes, maxDecoded) + pictureTakes, nil
	}
	return textTakes * size, nil
}

// What reading takes beside the file, as measured: of text and of sheets for each byte, of a picture beside its pixels.
const (
	textTakes      = 4
	sheetTakes     = 6
	smallSheet     = 1 << 20
	sheetAtLeast   = 96 << 20
	mostSheetTakes = 320 << 20
	pictureTakes   = 16 << 20
)
