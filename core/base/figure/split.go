package figure

import (
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Piece is a piece of a text: words, or a number of the trade as it stands there, without its unit.
type Piece struct {
	Text   string
	Value  float64 // the first number of an interval
	Number bool
}

// units are the units of the trade, the longer before what they begin with.
var units = []string{"days", "Wh/km", "mΩ·Ah", "kWh", "mAh", "min", "mm²", "Ah", "Wh", "VA", "kA", "kW", "mA", "mV",
	"mΩ", "µΩ", "MΩ", "kΩ", "mF", "µF", "°C", "mm", "kg", "V", "A", "W", "Ω", "K", "J", "h", "s", "m", "C", "%"}

// byFirst are the units by the byte that they begin with.
var byFirst = func() (out [256][]string) {
	for _, u := range units {
		out[u[0]] = append(out[u[0]], u)
	}
	return out
}()

// classes are the volts that name a kind of system and were measured by nobody.
var classes = map[string]bool{"12": true, "24": true, "36": true, "48": true, "72": true}

// Split takes a text apart at its numbers with a unit behind them: 'Group 3 reads 3.19 to 3.25 V' holds one, 3.19 to
// 3.25. What is part of a name (7S4P, K-014, M6, 48 V) is words.
func Split(text string) (out []Piece) {
	if !HasDigit(text) {
		if text == "" {
			return nil
		}
		return []Piece{{Text: text}}
	}
	words := 0 // where the words begin that wait
	for at := 0; at < len(text); {
		if c := text[at]; c < '0' || c > '9' {
			at++
			continue
		}
		end, v := number(text, at)
		begin, last := signed(text, at), end
		for _, between := range []string{" to ", " ± ", "–"} { // an interval is one number
			next, ok := strings.CutPrefix(text[end:], between)
			if !ok {
				continue
			}
			skip := len(text) - len(next)
			if s := strings.TrimLeft(next, "-−+"); s != "" && s[0] >= '0' && s[0] <= '9' {
				last, _ = number(text, skip+len(next)-len(s))
			}
			break
		}
		unit := unitAt(text[last:])
		if begin < 0 || unit == "" || unit == "V" && classes[text[at:last]] {
			at = last
			if end > at {
				at = end
			}
			continue
		}
		if begin > words {
			out = append(out, Piece{Text: text[words:begin]})
		}
		if begin < at && text[begin] != '+' {
			v = -v
		}
		out = append(out, Piece{text[begin:last], v, true})
		words, at = last, last
	}
	if words < len(text) {
		out = append(out, Piece{Text: text[words:]})
	}
	return out
}

// Lead is the number, or the interval, with which a text begins: where it ends, and its first number. A date is none.
func Lead(text string) (end int, v float64, ok bool) {
	at := len(text) - len(strings.TrimLeft(text, "-−+"))
	if at == len(text) || text[at] < '0' || text[at] > '9' {
		return 0, 0, false
	}
	end, v = number(text, at)
	if end+1 < len(text) && strings.IndexByte("-:/", text[end]) >= 0 && text[end+1] >= '0' && text[end+1] <= '9' {
		return 0, 0, false
	}
	if next, ok := strings.CutPrefix(text[end:], " to "); ok {
		if further, _, ok := Lead(next); ok {
			end += len(" to ") + further
		}
	}
	if at > 0 && text[0] != '+' {
		v = -v
	}
	return end, v, true
}

// HasDigit says whether there can be a number in a text at all.
func HasDigit(text string) bool {
	for i := range len(text) {
		if c := text[i]; c >= '0' && c <= '9' {
			return true
		}
	}
	return false
}

// number reads digits with a point or thousands between.
func number(text string, at int) (end int, v float64) {
	for end = at; end < len(text); end++ {
		c := text[end]
		if c >= '0' && c <= '9' || c == '.' && end+1 < len(text) && text[end+1] >= '0' && text[end+1] <= '9' {
			continue
		}
		break
	}
	v, _ = strconv.ParseFloat(text[at:end], 64)
	return end, v
}

// signed is where a number with its sign begins, -1 where it is part of a name.
func signed(text string, at int) int {
	before, n := utf8.DecodeLastRuneInString(text[:at])
	if n == 0 || !strings.ContainsRune("-−+", before) {
		if n > 0 && (unicode.IsLetter(before) || unicode.IsDigit(before) || before == '_' || before == '/' ||
			before == ':') {
			return -1
		}
		return at
	}
	further, k := utf8.DecodeLastRuneInString(text[:at-n])
	switch {
	case k > 0 && (unicode.IsLetter(further) || unicode.IsDigit(further)) && before == '-':
		return -1
	case k > 0 && (unicode.IsLetter(further) || unicode.IsDigit(further)):
		return at
	}
	return at - n
}

// unitAt is the unit that stands behind a number, "" for none.
func unitAt(text string) string {
	s, ok := strings.CutPrefix(text, " ")
	if !ok {
		s, ok = strings.CutPrefix(text, "\u00a0")
	}
	if !ok {
		return ""
	}
	if s == "" {
		return ""
	}
	for _, u := range byFirst[s[0]] {
		if rest, ok := strings.CutPrefix(s, u); ok {
			if next, n := utf8.DecodeRuneInString(rest); n > 0 && (unicode.IsLetter(next) || unicode.IsDigit(next) ||
				next == '²') {
				continue
			}
			return u
		}
	}
	return ""
}
