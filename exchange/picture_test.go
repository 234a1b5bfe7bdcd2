package exchange_test

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"strings"
	"testing"

	"pandrel/exchange"
)

// card is red on its left half and blue on its right.
func card(w, h int) image.Image {
	m := image.NewRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.RGBA{200, 20, 20, 255}
			if x >= w/2 {
				c = color.RGBA{20, 20, 200, 255}
			}
			m.SetRGBA(x, y, c)
		}
	}
	return m
}

// shot is a JPEG as a camera writes it: with an EXIF block that holds an orientation and a secret.
func shot(t testing.TB, m image.Image, turn uint16) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := jpeg.Encode(&b, m, nil); err != nil {
		t.Fatal(err)
	}
	tiff := []byte("MM\x00\x2a\x00\x00\x00\x08\x00\x01\x01\x12\x00\x03\x00\x00\x00\x01")
	tiff = binary.BigEndian.AppendUint16(tiff, turn)
	tiff = append(tiff, "\x00\x00\x00\x00\x00\x00GPS 54.123 -2.456"...)
	body := append([]byte("Exif\x00\x00"), tiff...)
	out := append([]byte{0xFF, 0xD8, 0xFF, 0xE1}, binary.BigEndian.AppendUint16(nil, uint16(len(body)+2))...)
	return append(append(out, body...), b.Bytes()[2:]...)
}

func red(t *testing.T, p exchange.Picture, x, y int) bool {
	t.Helper()
	m, err := jpeg.Decode(bytes.NewReader(p.JPEG))
	if err != nil {
		t.Fatal(err)
	}
	r, _, b, _ := m.At(x, y).RGBA()
	return r > b
}

func TestPictureIsTurnedAsItsCameraSays(t *testing.T) {
	for turn, want := range map[uint16]struct {
		w, h int
		x, y int // a place that must be red
	}{1: {80, 40, 5, 20}, 2: {80, 40, 75, 20}, 3: {80, 40, 75, 20}, 4: {80, 40, 5, 20}, 5: {40, 80, 20, 5},
		6: {40, 80, 20, 5}, 7: {40, 80, 20, 75}, 8: {40, 80, 20, 75}, 9: {80, 40, 5, 20}} {
		t.Run(fmt.Sprint(turn), func(t *testing.T) {
			p, err := exchange.ReadPicture(t.Context(), shot(t, card(80, 40), turn))
			if err != nil || p.Width != want.w || p.Height != want.h || !red(t, p, want.x, want.y) ||
				red(t, p, want.w-1-want.x, want.h-1-want.y) {
				t.Errorf("orientation %d: %d × %d, %v", turn, p.Width, p.Height, err)
			}
		})
	}
}

// Where it was taken leaves with the camera's block.
func TestPictureHoldsNothingButThePicture(t *testing.T) {
	data := shot(t, card(80, 40), 6)
	if !bytes.Contains(data, []byte("GPS 54.123")) {
		t.Fatal("the test's own file holds no place")
	}
	p, err := exchange.ReadPicture(t.Context(), data)
	if err != nil || bytes.Contains(p.JPEG, []byte("GPS")) || bytes.Contains(p.JPEG, []byte("Exif")) {
		t.Errorf("the kept file still holds what the camera wrote, %v", err)
	}
}

func TestPictureIsScaled(t *testing.T) {
	for _, c := range []struct{ w, h, wantW, wantH int }{{3200, 1600, 1600, 800}, {1000, 4000, 400, 1600},
		{300, 200, 300, 200}} {
		t.Run(fmt.Sprint(c.w), func(t *testing.T) {
			var b bytes.Buffer
			if err := png.Encode(&b, card(c.w, c.h)); err != nil {
				t.Fatal(err)
			}
			p, err := exchange.ReadPicture(t.Context(), b.Bytes())
			if err != nil || p.Width != c.wantW || p.Height != c.wantH {
				t.Errorf("%d × %d became %d × %d, %v", c.w, c.h, p.Width, p.Height, err)
			}
		})
	}
}

func TestWhatIsNoPicture(t *testing.T) {
	head := []byte("IHDR\x00\x01\x00\x00\x00\x01\x00\x00\x08\x06\x00\x00\x00")
	bomb := binary.BigEndian.AppendUint32(append([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00\r"), head...),
		crc32.ChecksumIEEE(head))
	for _, c := range []struct {
		name string
		data []byte
		says string
	}{
		{"empty", nil, "empty"}, {"text", []byte("hello"), "JPEG, PNG or WebP"},
		{"cut off", shot(t, card(400, 400), 1)[:700], "expected"},
		{"65536 × 65536 in a few bytes", bomb, "pixels"}, {"too large", make([]byte, exchange.MaxPictureBytes+1),
			"MiB"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := exchange.ReadPicture(t.Context(), c.data)
			if err == nil || !strings.Contains(err.Error(), c.says) && !strings.Contains(err.Error(), "damaged") {
				t.Errorf("%s: %v", c.name, err)
			}
		})
	}
}

func FuzzReadPicture(f *testing.F) {
	f.Add(shot(f, card(20, 10), 6))
	f.Add([]byte("\xff\xd8\xff\xe1\x00\x08Exif\x00\x00"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if len(data) > 1<<16 {
			return
		}
		p, err := exchange.ReadPicture(t.Context(), data)
		if err == nil && (p.Width < 1 || p.Height < 1 || len(p.JPEG) == 0) {
			t.Errorf("%d × %d", p.Width, p.Height)
		}
	})
}

// A tablet's picture of twelve million pixels: the person waits for it.
func BenchmarkReadPicture12MP(b *testing.B) {
	data := shot(b, card(4000, 3000), 6)
	for b.Loop() {
		if _, err := exchange.ReadPicture(b.Context(), data); err != nil {
			b.Fatal(err)
		}
	}
}
