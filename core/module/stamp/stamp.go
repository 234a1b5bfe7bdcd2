// Package stamp reads the times of a log: elapsed numbers, clock times, dates with times, in the forms that loggers
// write them.
package stamp

import (
	"bytes"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"pandrel/core/base/digits"
)

// Orders of day, month and year in a date.
const (
	DayFirst   = "dmy"
	MonthFirst = "mdy"
	YearFirst  = "ymd"
)

// Ways of a stamp.
type Way uint8

const (
	Counted Way = 1 << iota // elapsed, a number
	OfDay                   // a time of day alone, which starts again at midnight
	Dated                   // a date with a time
)

// Reader reads time stamps: elapsed numbers, clock times, or dates with times. What it keeps is a memory of
// the last date only, so that lines may be read in any order.
type Reader struct {
	Order  string // of dates
	Scale  float64
	Dots   bool     // points part thousands in a counter
	cache  [32]byte // the date of the last stamp, with what stands between it and the time where they are one field
	cached int
	joined bool
	at     float64 // its midnight
}

// Read returns the stamp in seconds, on a scale that only differences use.
func (s *Reader) Read(date, clock []byte, comma bool) (float64, Way, bool) {
	if len(date) == 0 {
		if n := s.cached; s.joined && n > 0 && len(clock) > n && bytes.Equal(clock[:n], s.cache[:n]) {
			sec, ok := ClockSeconds(clock[n:])
			return s.at + sec, Dated, ok
		}
		if bytes.IndexByte(clock, ':') < 0 {
			if v, ok := digits.Number(clock, comma); ok && !s.Dots {
				return v * s.Scale, Counted, math.Abs(v) <= 1e18
			}
			if v, ok := digits.Grouped(clock, comma, s.Dots); ok {
				return v * s.Scale, Counted, math.Abs(v) <= 1e18
			}
			if v, ok := spelled(clock, comma); ok {
				return v, Counted, math.Abs(v) <= 1e18
			}
		}
		if sec, ok := plainClock(clock); ok {
			return sec, OfDay, true
		}
		whole := clock
		date, clock = Split(clock)
		if len(date) > 0 && len(clock) > 0 && bytes.HasSuffix(whole, clock) {
			return s.dated(date, clock, whole[:len(whole)-len(clock)], true)
		}
	}
	switch {
	case len(date) > 0:
		return s.dated(date, clock, date, false)
	case len(clock) == 0:
		return 0, 0, false
	}
	sec, ok := ClockSeconds(clock)
	return sec, OfDay, ok
}

// dated reads a date with a time, and remembers the date by key.
func (s *Reader) dated(date, clock, key []byte, joined bool) (float64, Way, bool) {
	sec := 0.0
	if len(clock) > 0 {
		var ok bool
		if sec, ok = ClockSeconds(clock); !ok {
			return 0, 0, false
		}
	}
	if s.joined == joined && s.cached > 0 && bytes.Equal(s.cache[:s.cached], key) {
		return s.at + sec, Dated, true
	}
	d, ok := ParseDate(date, s.Order)
	if !ok {
		days, ok := dayCount(date)
		return days*86400 + sec, Counted, ok && len(clock) > 0
	}
	s.at = float64(d.Unix())
	if s.cached = 0; len(key) <= len(s.cache) {
		s.cached, s.joined = copy(s.cache[:], key), joined
	}
	return s.at + sec, Dated, true
}

// Split parts a date from a time of day, whichever comes first. Without a colon all of it is a date.
func Split(f []byte) (date, clock []byte) {
	colon := bytes.IndexByte(f, ':')
	if colon < 0 {
		return f, nil
	}
	begin := colon
	for begin > 0 && f[begin-1] >= '0' && f[begin-1] <= '9' {
		begin--
	}
	end := colon
	for end < len(f) && f[end] != ' ' {
		end++
	}
	rest := bytes.TrimSpace(f[end:])
	if begin > 0 {
		return bytes.Trim(f[:begin], " T,"), f[begin:]
	}
	if len(rest) > 2 && !halfDay(rest) { // the time comes first
		if half, after, ok := bytes.Cut(rest, []byte(" ")); ok && halfDay(half) {
			return after, append(bytes.Clone(f[:end]), half...)
		}
		return rest, f[:end]
	}
	return nil, f
}

// halfDay reports whether f is AM or PM, as written.
func halfDay(f []byte) bool {
	s := bytes.ToLower(bytes.ReplaceAll(f, []byte("."), nil))
	return bytes.Equal(s, []byte("am")) || bytes.Equal(s, []byte("pm"))
}

var months = []string{"jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"}

var otherMonths = map[string]int{"mär": 3, "mrz": 3, "mai": 5, "okt": 10, "dez": 12}

// ParseDate reads a date in numbers or with the month's name. order tells which of day and month comes
// first; it is not needed where the year has four digits and stands first, or the month has a name.
//
// In one piece: the forms of a date are told apart by their order.
func ParseDate(b []byte, order string) (time.Time, bool) {
	var num [3]int
	var digits [3]int
	n, month := 0, 0
	for i := 0; i < len(b); {
		c := b[i]
		switch {
		case c >= '0' && c <= '9':
			if n == 3 {
				return time.Time{}, false
			}
			k := i
			v := 0
			for k < len(b) && b[k] >= '0' && b[k] <= '9' {
				v = v*10 + int(b[k]-'0')
				k++
			}
			if k-i > 8 {
				return time.Time{}, false
			}
			num[n], digits[n] = v, k-i
			n++
			i = k
		case c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= 0x80:
			k := i
			for k < len(b) && (b[k] >= 'a' && b[k] <= 'z' || b[k] >= 'A' && b[k] <= 'Z' || b[k] >= 0x80) {
				k++
			}
			m := monthNamed(string(bytes.ToLower(b[i:k])))
			if m == 0 && !weekday(string(bytes.ToLower(b[i:k]))) || m > 0 && month > 0 {
				return time.Time{}, false
			}
			month = max(month, m)
			i = k
		case bytes.IndexByte([]byte(" .,/-"), c) >= 0:
			i++
		default:
			return time.Time{}, false
		}
	}
	var y, m, d int
	switch {
	case n == 1 && digits[0] == 8:
		y, m, d = num[0]/10000, num[0]/100%100, num[0]%100
	case n == 2 && month > 0 && digits[0] == 4:
		y, m, d = num[0], month, num[1]
	case n == 2 && month > 0:
		y, m, d = num[1], month, num[0]
	case n != 3:
		return time.Time{}, false
	case digits[0] == 4 || order == YearFirst:
		y, m, d = num[0], num[1], num[2]
	case order == MonthFirst:
		y, m, d = num[2], num[0], num[1]
	default:
		y, m, d = num[2], num[1], num[0]
	}
	if y < 100 {
		y += 2000
	}
	if y < 1990 || y > 2100 || m < 1 || m > 12 || d < 1 {
		return time.Time{}, false
	}
	t := time.Date(y, time.Month(m), d, 0, 0, 0, 0, time.UTC)
	return t, t.Day() == d
}

func monthNamed(s string) int {
	if m := otherMonths[s]; m > 0 {
		return m
	}
	if len(s) < 3 {
		return 0
	}
	return slices.Index(months, s[:3]) + 1
}

func weekday(s string) bool {
	return len(s) >= 2 && slices.Contains([]string{"mo", "tu", "we", "th", "fr", "sa", "su"}, s[:2]) || s == "t" ||
		s == "st" || s == "nd" || s == "rd" || s == "th"
}

// leapSeconds between two samples of one log beyond which a date order is taken for wrong.
const jumpSeconds = 5 * 86400

// OrderOf finds the order of day and month over all dates of a log, in the order of its lines: the only
// one in which each is a date and time runs on without jumps. ok is false where more than one is left
// and they do not agree on the days between.
func OrderOf(dates [][]byte) (order string, ok bool) {
	type found struct {
		order string
		days  []float64
	}
	var good, jumping []found
	for _, o := range []string{DayFirst, MonthFirst, YearFirst} {
		var days []float64
		valid, jumps := true, 0
		for _, d := range dates {
			t, ok := ParseDate(d, o)
			if !ok {
				valid = false
				break
			}
			at := float64(t.Unix())
			if n := len(days); n > 0 && (at-days[n-1] > jumpSeconds || at < days[n-1]-86400) {
				jumps++
			}
			days = append(days, at)
		}
		switch {
		case !valid:
		case jumps == 0:
			good = append(good, found{o, days})
		default:
			jumping = append(jumping, found{o, days})
		}
	}
	if len(good) == 0 {
		good = jumping
	}
	if len(good) == 0 {
		return "", len(dates) == 0
	}
	for _, g := range good[1:] {
		for i := range g.days {
			if g.days[i]-g.days[0] != good[0].days[i]-good[0].days[0] {
				return good[0].order, false
			}
		}
	}
	return good[0].order, true
}

// ClockSeconds reads h:mm, h:mm:ss and h:mm:ss.fff, with or without AM or PM; hours may pass 24 in
// elapsed times. A zone behind it (Z or ±hh:mm) is taken off, so that the seconds are of one scale.
//
// In one piece: the loop over every time of a log of millions: calls inside it cost more than they tell.
func ClockSeconds(f []byte) (float64, bool) {
	if sec, ok := plainClock(f); ok {
		return sec, true
	}
	f = bytes.TrimSpace(f)
	if n := len(f); n > 0 && f[n-1] == 'Z' {
		f = f[:n-1]
	}
	half := 0.0
	for _, n := range [...]int{4, 2} {
		if len(f) > n && (f[len(f)-1]|0x20 == 'm' || f[len(f)-1] == '.') && halfDay(f[len(f)-n:]) {
			half = 1
			if c := f[len(f)-n]; c == 'p' || c == 'P' {
				half = 2
			}
			f = bytes.TrimSpace(f[:len(f)-n])
			break
		}
	}
	zone := 0.0
	if i := bytes.LastIndexAny(f, "+-"); i > 4 {
		v, digits := 0.0, 0
		for _, c := range f[i+1:] {
			if c == ':' {
				continue
			}
			if c < '0' || c > '9' {
				return 0, false
			}
			v = v*10 + float64(c-'0')
			digits++
		}
		if digits <= 2 {
			v *= 100
		}
		zone = math.Floor(v/100)*3600 + math.Mod(v, 100)*60
		if f[i] == '-' {
			zone = -zone
		}
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
		case (c == '.' || c == ',' || c == ':') && n == 2 && digits > 0:
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
	if half > 0 {
		if part[0] < 1 || part[0] > 12 {
			return 0, false
		}
		part[0] = math.Mod(part[0], 12) + 12*(half-1)
	}
	return part[0]*3600 + part[1]*60 + part[2] - zone, true
}

// plainClock reads the usual form of a time, h:mm:ss or h:mm:ss.fff with nothing around it.
func plainClock(f []byte) (float64, bool) {
	i, hours := 0, 0
	for ; i < len(f) && f[i]-'0' <= 9; i++ {
		hours = hours*10 + int(f[i]-'0')
	}
	if i == 0 || i > 5 || len(f) < i+6 || f[i] != ':' || f[i+3] != ':' {
		return 0, false
	}
	m, s, rest := f[i+1:i+3], f[i+4:i+6], f[i+6:]
	if m[0]-'0' > 5 || m[1]-'0' > 9 || s[0]-'0' > 5 || s[1]-'0' > 9 {
		return 0, false
	}
	sec := float64(hours*3600 + int(m[0]-'0')*600 + int(m[1]-'0')*60 + int(s[0]-'0')*10 + int(s[1]-'0'))
	if len(rest) == 0 {
		return sec, true
	}
	if len(rest) < 2 || len(rest) > 10 || rest[0] != '.' && rest[0] != ',' {
		return 0, false
	}
	part := 0
	for _, c := range rest[1:] {
		if c-'0' > 9 {
			return 0, false
		}
		part = part*10 + int(c-'0')
	}
	return sec + float64(part)/digits.Pow10[len(rest)-1], true
}

// spelled reads a time such as 90 s, 1.5 min or 1h 02m 03s. It returns seconds.
func spelled(f []byte, comma bool) (seconds float64, ok bool) {
	s := strings.ToLower(strings.TrimSpace(string(f)))
	for s != "" {
		k := strings.IndexFunc(s, func(r rune) bool { return (r < '0' || r > '9') && r != '.' && r != ',' })
		if k <= 0 {
			return 0, false
		}
		v, isNumber := digits.Number([]byte(s[:k]), comma)
		s = strings.TrimLeft(s[k:], " ")
		if k = strings.IndexFunc(s, func(r rune) bool { return r == ' ' || r >= '0' && r <= '9' }); k < 0 {
			k = len(s)
		}
		unit := s[:k]
		if unit == "m" {
			unit = "min"
		}
		factor, known := TimeUnits[unit]
		if !isNumber || !known {
			return 0, false
		}
		seconds += v * factor
		s = strings.TrimLeft(s[k:], " ")
		ok = true
	}
	return seconds, ok
}

// dayCount reads the days that stand before a clock in an elapsed time, such as 1 of 1 02:03:04 or 1d of 1d 02:03:04.
func dayCount(f []byte) (float64, bool) {
	s := strings.ToLower(strings.TrimRight(string(f), " .,-dayst"))
	if len(s) == 0 || len(s) > 4 || strings.Trim(s, "0123456789") != "" {
		return 0, false
	}
	v, err := strconv.Atoi(s)
	return float64(v), err == nil
}

// TimeUnits are the units of a time and their seconds.
var TimeUnits = map[string]float64{"s": 1, "sec": 1, "secs": 1, "second": 1, "seconds": 1, "ms": 1e-3, "msec": 1e-3,
	"millisecond": 1e-3, "milliseconds": 1e-3, "us": 1e-6, "µs": 1e-6,
	"min": 60, "mins": 60, "minute": 60, "minutes": 60, "h": 3600, "hr": 3600, "hrs": 3600, "hour": 3600,
	"hours": 3600, "d": 86400, "day": 86400, "days": 86400}
