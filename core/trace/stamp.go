package trace

import (
	"bytes"
	"math"
	"time"
)

// stampReader reads time stamps of the form found in the first line and remembers what it found:
// elapsed numbers, clock times that pass midnight, or dates with times.
type stampReader struct {
	start    time.Time
	layout   string
	dayShift float64
	lastDay  float64
	seen     bool
	cacheDay [16]byte // the date part of the last stamp and its midnight
	cacheLen int
	cacheAt  float64
}

var dateLayouts = []string{"2006-01-02", "02.01.2006", "2006/01/02", "02/01/2006", "2.1.2006", "20060102", "Jan 2 2006"}

// read returns the stamp in seconds on a scale that only differences use.
func (s *stampReader) read(date, clock []byte, scale float64, comma bool) (float64, bool) {
	if len(date) == 0 {
		if v, ok := number(clock, comma); ok {
			return v * scale, v >= -math.MaxInt32
		}
		if i := bytes.IndexAny(clock, " T"); i > 0 {
			date, clock = clock[:i], bytes.TrimSpace(clock[i+1:])
		}
	}
	sec, ok := clockSeconds(clock)
	if !ok {
		return 0, false
	}
	if len(date) == 0 {
		// A clock alone: one that jumps back by most of a day has passed midnight.
		if s.seen && sec < s.lastDay-43200 {
			s.dayShift += 86400
		}
		s.seen, s.lastDay = true, sec
		return s.dayShift + sec, true
	}
	if s.cacheLen == len(date) && s.cacheLen > 0 && bytes.Equal(s.cacheDay[:s.cacheLen], date) {
		return s.cacheAt + sec, true
	}
	for _, layout := range dateLayouts {
		if s.layout != "" && layout != s.layout {
			continue
		}
		d, err := time.Parse(layout, string(date))
		if err != nil {
			continue
		}
		s.layout = layout
		at := float64(d.Unix())
		if s.start.IsZero() {
			s.start = d.Add(time.Duration(sec * float64(time.Second)))
		}
		if len(date) <= len(s.cacheDay) {
			s.cacheLen = copy(s.cacheDay[:], date)
			s.cacheAt = at
		}
		return at + sec, true
	}
	return 0, false
}

// clockSeconds reads h:mm, h:mm:ss and h:mm:ss.fff; hours may pass 24 in elapsed times. A zone
// behind it (Z or ±hh:mm) is ignored, since only differences count.
func clockSeconds(f []byte) (float64, bool) {
	if n := len(f); n > 0 && f[n-1] == 'Z' {
		f = f[:n-1]
	}
	if i := bytes.LastIndexAny(f, "+-"); i > 4 {
		f = f[:i]
	}
	var part [3]float64
	n, digits := 0, 0
	for i := 0; i < len(f); i++ {
		c := f[i]
		switch {
		case c >= '0' && c <= '9':
			part[n] = part[n]*10 + float64(c-'0')
			if digits++; digits > 9 {
				return 0, false
			}
		case c == ':' && digits > 0 && n < 2:
			n++
			digits = 0
		case (c == '.' || c == ',') && n == 2 && digits > 0:
			w := 0.1
			for _, d := range f[i+1:] {
				if d < '0' || d > '9' {
					return 0, false
				}
				part[2] += float64(d-'0') * w
				w /= 10
			}
			i = len(f)
		default:
			return 0, false
		}
	}
	if n == 0 || digits == 0 || part[1] >= 60 || part[2] >= 61 {
		return 0, false
	}
	return part[0]*3600 + part[1]*60 + part[2], true
}
