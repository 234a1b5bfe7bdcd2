package logfile

import (
	"fmt"
	"math"
	"math/rand"
	"strconv"
	"testing"

	"pandrel/core/base/digits"
)

// Numbers read eight signs at a time are those that the standard library reads, to the last bit.
func TestNumbersAreReadToTheLastBit(t *testing.T) {
	r := rand.New(rand.NewSource(1))
	for range 200_000 {
		text := strconv.FormatFloat(math.Ldexp(r.Float64(), r.Intn(40)-10), 'f', r.Intn(8), 64)
		if r.Intn(3) == 0 {
			text = "-" + text
		}
		want, err := strconv.ParseFloat(text, 64)
		if err != nil {
			t.Fatal(err)
		}
		for _, behind := range []string{"", ";", ";1;2;3;4;5;6", ";;;;;;;;;;;"} {
			got, end, ok := scanNumber([]byte("x;"+text+behind), 2, ';', false)
			if len(text) < 15 && (!ok || got != want || end != 2+len(text)) {
				t.Fatalf("%s%s: %v, %d, %v: expected %v", text, behind, got, end, ok, want)
			}
		}
	}
	for _, text := range []string{"", "-", ".", "-.", "1.2.3", "1,5", "12a", "a", "1e3", "0x10", "1 ", "--1", "+1",
		"\xff\xff\xff\xff\xff\xff\xff\xff", "1\x80", "/", ":", "12345678:", "1234567:"} {
		for _, behind := range []string{"", ";", ";12345678"} {
			if v, _, ok := scanNumber([]byte(text+behind), 0, ';', false); ok {
				t.Errorf("%q is read as %v", text+behind, v)
			}
		}
	}
	if v, end, ok := scanNumber([]byte("3,845;1"), 0, ';', true); v != 3.845 || end != 5 || !ok {
		t.Error(v, end, ok)
	}
}

// What stands behind a line in the file is not read into its last number.
func TestANumberEndsWithItsLine(t *testing.T) {
	file := []byte("7\n12345678")
	if v, end, ok := scanNumber(file[:1], 0, ';', false); v != 7 || end != 1 || !ok {
		t.Error(v, end, ok)
	}
	file = []byte("7123456789")
	if v, _, ok := scanNumber(file[:1], 0, ';', false); ok && v != 7 {
		t.Error(v, ok)
	}
}

func FuzzScanNumber(f *testing.F) {
	f.Add("12.5;", false)
	f.Add("-3,845", true)
	f.Fuzz(func(t *testing.T, text string, comma bool) {
		v, end, ok := scanNumber([]byte(text), 0, ';', comma)
		if !ok {
			return
		}
		want, fine := digits.Number(trim([]byte(text[:end])), comma)
		if !fine || v != want {
			t.Errorf("%q: %v, by the long way %v", fmt.Sprint(text), v, want)
		}
	})
}
