package logfile

import (
	"bytes"
	"encoding/binary"
	"math/bits"

	"pandrel/core/base/digits"
	"pandrel/core/module/stamp"
)

// scanNumber reads a number of the usual form that fills a field from start to the separator. What it cannot read
// may still be a number: number tells. Up to eight signs are looked at together, as the bytes of one word, with
// no branch on how many there are: a processor guesses the length of a field wrong, over and over.
func scanNumber(b []byte, start int, sep byte, comma bool) (v float64, end int, ok bool) {
	i := start
	for i < len(b) && b[i] == ' ' {
		i++
	}
	neg := i < len(b) && b[i] == '-'
	if neg {
		i++
	}
	if i+8 > cap(b) || i > len(b) {
		return scanLong(b, i, start, sep, comma, neg)
	}
	const ones = 0x0101010101010101
	word := binary.LittleEndian.Uint64(b[i:i+8:cap(b)]) ^ '0'*ones // 0 to 9 where there is a digit
	other := (word + (128-10)*ones | word) & (128 * ones)
	if other == 0 {
		return scanLong(b, i, start, sep, comma, neg)
	}
	n := bits.TrailingZeros64(other) / 8
	frac := 0
	if c := byte(word>>(8*n)) ^ '0'; c == '.' || comma && c == ',' {
		below := uint64(1)<<(8*n) - 1
		rest := other &^ (uint64(128) << (8 * n))
		if rest == 0 {
			return scanLong(b, i, start, sep, comma, neg)
		}
		whole := bits.TrailingZeros64(rest) / 8
		word = word&below | word>>8&^below
		frac = whole - n - 1
		end, n = i+whole, whole-1
	} else {
		end = i + n
	}
	if n == 0 || end > len(b) || end < len(b) && b[end] != sep {
		return 0, start, false
	}
	word <<= 64 - 8*n
	word = word * (1 + 10<<8) >> 8
	word = word & 0x00ff00ff00ff00ff * (1 + 100<<16) >> 16
	word = word & 0x0000ffff0000ffff * (1 + 10000<<32) >> 32
	v = float64(word) / digits.Pow10[frac]
	if neg {
		v = -v
	}
	return v, end, true
}

// scanLong is scanNumber from i, byte by byte, for what is longer or stands at the end of the file.
func scanLong(b []byte, i, start int, sep byte, comma, neg bool) (v float64, end int, ok bool) {
	var mant uint64
	first := i
	for i < len(b) && b[i]-'0' <= 9 {
		mant = mant*10 + uint64(b[i]-'0')
		i++
	}
	count, frac := i-first, 0
	if i < len(b) && (b[i] == '.' || comma && b[i] == ',') {
		i++
		point := i
		for i < len(b) && b[i]-'0' <= 9 {
			mant = mant*10 + uint64(b[i]-'0')
			i++
		}
		frac = i - point
		count += frac
	}
	if count == 0 || count > 15 || i < len(b) && b[i] != sep {
		return 0, start, false
	}
	v = float64(mant) / digits.Pow10[frac]
	if neg {
		v = -v
	}
	return v, i, true
}

// form is how the last number of a column was written: the next one is usually written alike. What follows from a
// guess that holds does not wait for the bytes, so that a processor reads several numbers at once.
type form struct {
	other  uint64 // where its first signs, and the one that ends it, are no word
	within uint64 // the bytes up to that one
	below  uint64 // the bytes before its point
	ten    float64
	shift  uint8
	length uint8 // without a sign; 0 for none learnt
	dot    uint8 // where its point is, or its end where it has none
	point  byte  // what stands there
}

// learn takes the form of number, without a sign, which ends with ends.
func (f *form) learn(number []byte, ends byte) {
	length := len(number)
	if f.length = 0; length == 0 || length > 7 {
		return
	}
	dot := bytes.IndexAny(number, ".,")
	if dot >= 0 && length == 1 {
		return
	}
	f.length, f.dot, f.point, f.ten, f.below = uint8(length), uint8(length), ends, 1, ^uint64(0)
	f.within = ^uint64(0) >> (8 * (7 - length))
	f.other = uint64(128) << (8 * length)
	count := length
	if dot >= 0 {
		f.dot, f.point, f.ten = uint8(dot), number[dot], digits.Pow10[length-dot-1]
		f.below = uint64(1)<<(8*dot) - 1
		f.other |= uint64(128) << (8 * dot)
		count--
	}
	f.shift = uint8(64 - 8*count)
}

// planned is what plainLines does with a column.
type planned struct {
	form
	scale, zero float64
	out         []float64 // nil where a number is not needed
	kind        Kind
	number      bool
	ends        byte   // what ends its fields
	word        []byte // the last text in it
	step        int8   // and what it means, in a step column
}

// plainLines reads lines that hold nothing but numbers of the usual form where numbers are needed, up to one that
// does not, and returns how many bytes they have. What it leaves is read by row, which knows all forms and says
// what is wrong.
//
// In one piece: the loop over every sign of a log of millions: calls inside it cost more than they tell.
func (c *chunk) plainLines(p *parser, data []byte) (read int) {
	const ones = 0x0101010101010101
	plan := c.plan
	returns := plan[len(plan)-1].ends == '\r'
	i := 0
	for {
		n := c.n
		var date, clock []byte
		counts := false
		for col := range plan {
			f := &plan[col]
			if f.number {
				if i+9 > len(data) {
					return read
				}
				neg := data[i] == '-'
				at := i
				if neg {
					at++
				}
				w := binary.LittleEndian.Uint64(data[at:])
				word := w ^ '0'*ones
				other := (word + (128-10)*ones | word) & (128 * ones)
				var v float64
				if other&f.within == f.other && byte(w>>(f.dot*8&63)) == f.point &&
					byte(w>>(f.length*8&63)) == f.ends && f.length > 0 {
					word = (word&f.below | word>>8&^f.below) << (f.shift & 63)
					word = word * (1 + 10<<8) >> 8
					word = word & 0x00ff00ff00ff00ff * (1 + 100<<16) >> 16
					word = word & 0x0000ffff0000ffff * (1 + 10000<<32) >> 32
					v = float64(word) / f.ten
					if neg {
						v = -v
					}
					i = at + int(f.length) + 1
				} else {
					end, ok := 0, false
					if v, end, ok = scanNumber(data, i, f.ends, p.commaDecimal); !ok || end == len(data) {
						return read
					}
					f.learn(data[at:max(at, end)], f.ends)
					i = end + 1
				}
				f.out[n] = v*f.scale + f.zero
				counts = counts || f.kind == KTime
				continue
			}
			if f.kind == kStep && len(f.word) > 0 && len(data)-i > len(f.word) && data[i+len(f.word)] == f.ends &&
				bytes.Equal(data[i:i+len(f.word)], f.word) { // as in the line before
				c.step[n] = f.step
				i += len(f.word) + 1
				continue
			}
			j := i
			if k := len(f.word); f.kind == KTime && k > 0 && len(data)-i > k && data[i+k] == f.ends {
				j += k // as long as the one before: what else stands in it is no time
			}
			for j < len(data) && data[j] != f.ends && data[j] != '\n' {
				j++
			}
			if j == len(data) || data[j] != f.ends {
				return read
			}
			text := data[i:j]
			i = j + 1
			switch f.kind {
			case kDate:
				date = trim(text)
			case KTime:
				f.word, clock = text, trim(text)
			case kStep:
				f.word, f.step = text, c.words.read(trim(text))
				c.step[n] = f.step
			}
		}
		if returns {
			if i >= len(data) || data[i] != '\n' {
				return read
			}
			i++
		}
		t, way, ok := c.t[n], stamp.Counted, true
		if !counts {
			if t, way, ok = c.stamp.Read(date, clock, p.commaDecimal); !ok {
				return read
			}
		}
		c.keep(p, t, way)
		c.lines++
		c.line[n] = int32(c.lines)
		c.n++
		read = i
	}
}
