package logfile

import (
	"bytes"
	"fmt"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"pandrel/core/base/digits"
	"pandrel/core/module/stamp"
)

// Kind of a column.
type Kind int

const (
	kIgnore Kind = iota
	KTime
	kDate
	kVolts
	KAmps
	kTemp
	kGroup
	kStep
	kAh
	kAmpsIn  // amps of a column that only charging fills
	kAmpsOut // and of one that only discharging fills
)

// KindNames are the kinds as a person says them.
var KindNames = [...]string{"ignore", "time", "date", "volts", "amps", "temp", "group", "step", "ah", "amps-in",
	"amps-out"}

// KindVolts is the kind of a column of volts in all.
const KindVolts = "volts"

// IsVoltUnit reports whether a unit is one of volts.
func IsVoltUnit(unit string) bool {
	_, ok := UnitFactor(kVolts, unit)
	return ok
}

// Kinds lists what a column may be said to hold. A group has its number behind it: group 3.
func Kinds() []string { return KindNames[:] }

// units of each kind of column and their factors to SI; temperatures in °F are turned apart.
var (
	voltUnits = map[string]float64{"v": 1, "volt": 1, "volts": 1, "mv": 1e-3, "millivolt": 1e-3, "millivolts": 1e-3,
		"uv": 1e-6, "µv": 1e-6}
	ampUnits = map[string]float64{"a": 1, "amp": 1, "amps": 1, "ampere": 1, "amperes": 1, "ma": 1e-3,
		"milliamp": 1e-3, "milliamps": 1e-3, "ua": 1e-6, "µa": 1e-6,
		"x10": 10, "x0.1": 0.1} // of a shunt or clamp that was set to another range
	tempUnits = map[string]float64{"°c": 1, "degc": 1, "c": 1, "celsius": 1, "°f": 1 / 1.8, "degf": 1 / 1.8,
		"f": 1 / 1.8}
	ahUnits = map[string]float64{"ah": 1, "mah": 1e-3}
	// others are units of columns that are not needed.
	otherUnits = []string{"wh", "mwh", "kwh", "w", "mw", "kw", "ohm", "mohm", "ω", "mω", "%", "pct", "c-rate", "1/h",
		"as", "hz"}
)

// UnitFactor returns the factor of a unit for a kind of column.
func UnitFactor(k Kind, unit string) (float64, bool) {
	var table map[string]float64
	switch k {
	case KTime:
		table = stamp.TimeUnits
	case kVolts, kGroup:
		table = voltUnits
	case KAmps, kAmpsIn, kAmpsOut:
		table = ampUnits
	case kTemp:
		table = tempUnits
	case kAh:
		table = ahUnits
	}
	f, ok := table[strings.ToLower(unit)]
	return f, ok
}

func isUnit(s string) bool {
	if slices.Contains(otherUnits, s) {
		return true
	}
	for _, t := range []map[string]float64{stamp.TimeUnits, voltUnits, ampUnits, tempUnits, ahUnits} {
		if _, ok := t[s]; ok {
			return true
		}
	}
	return false
}

// column is one column of the file and what it holds. rank is how well its name fits beside others of its kind.
type column struct {
	kind  Kind
	scale float64
	zero  float64 // added after scaling, for °F
	group int
	name  string
	unit  string
	rank  int
	side  Kind // kAmpsIn or kAmpsOut where the name says which way, else 0
	told  bool // the unit is in the file or was said by a person
	dots  bool // its points part thousands
}

var (
	inWords  = []string{"charge", "charging", "chg", "chrg", "lade", "laden", "ladestrom", "in"}
	outWords = []string{"discharge", "discharging", "dischg", "dchg", "dchrg", "dsg", "dis", "entlade", "entladen",
		"entladestrom", "out"}
)

var (
	unitIn    = regexp.MustCompile(`[\[({<]\s*([^\])}>]+?)\s*[\])}>]?\s*$`)
	groupName = regexp.MustCompile(
		`^(?:cell|group|grp|zelle|c|g|v|u|vc|ucell|vcell)[ _#.-]*0*(\d{1,3})` +
			`(?:[ _-]*(?:voltage|volts|volt|spannung))?$`)
	numbered = regexp.MustCompile(`^(?:cell|group|grp|zelle|vcell|ucell)`)
)

// split takes a unit off a column's name: in brackets, or behind a blank, a slash or an underscore where
// what stands there is a unit.
func split(name string) (base, unit string) {
	s := strings.ToLower(strings.TrimSpace(name))
	if m := unitIn.FindStringSubmatchIndex(s); m != nil && m[0] > 0 {
		u := strings.TrimSpace(s[m[2]:m[3]])
		if isUnit(u) || !strings.ContainsAny(u, "/_ ") {
			return strings.TrimSpace(s[:m[0]]), u
		}
	}
	if i := strings.LastIndexAny(s, "/_ .-,"); i > 0 {
		u := strings.TrimSpace(s[i+1:])
		b := strings.TrimRight(s[:i], " /_.-,")
		if strings.HasSuffix(b, " in") || strings.HasSuffix(b, "_in") {
			b = b[:len(b)-3]
		}
		if b != "" && isUnit(u) {
			return b, u
		}
		if s[i] == '/' && b != "" {
			return b, u
		}
	}
	return s, ""
}

// classify finds what a column holds from its name, the factor to SI units, and how well the name fits
// beside others of the same kind: the measured value before the set one, total time before step time.
//
// In one piece: the first word that fits a header counts, and their order is what tells like names apart.
func classify(name string) column {
	base, unit := split(name)
	words := strings.FieldsFunc(base, func(r rune) bool { return strings.ContainsRune(" _-./,:", r) })
	any := func(list ...string) bool {
		return slices.ContainsFunc(words, func(w string) bool { return slices.Contains(list, w) })
	}
	c := column{unit: unit, scale: 1}
	as := func(k Kind, rank int) column {
		c.kind, c.rank = k, rank
		if f, ok := UnitFactor(k, unit); ok {
			c.scale, c.told = f, true
			if k == kTemp && f != 1 {
				c.zero = -32 / 1.8
			}
		}
		return c
	}
	if m := groupName.FindStringSubmatch(base); m != nil {
		_, volts := voltUnits[unit]
		if n, _ := strconv.Atoi(m[1]); unit == "" && n > 0 || volts || n == 0 && numbered.MatchString(base) {
			c.group = n
			return as(kGroup, 0)
		}
	}
	rank := 2
	switch {
	case any("set", "setpoint", "target", "limit", "cutoff", "cut", "max", "min", "range", "ref", "reference",
		"nominal", "soll", "index", "no", "cycle", "delta", "diff", "protection"):
		rank = -2
	case any("mean", "average", "avg", "median", "internal", "board", "mos", "ambient", "cell", "filtered"):
		rank = 1
	case any("measured", "actual", "total", "pack", "module", "battery", "bank", "sense", "ist"):
		rank = 3
	}
	_, asVolts := voltUnits[unit]
	_, asAmps := ampUnits[unit]
	_, asAh := ahUnits[unit]
	_, asTime := stamp.TimeUnits[unit]
	_, asTemp := tempUnits[unit]
	switch {
	case slices.Contains(otherUnits, unit) || any("power", "energy", "resistance", "soc", "soh", "dcir"):
		return column{}
	case any("date") && any("time") || base == "datetime" || base == "timestamp" || base == "date_time":
		return as(KTime, 3)
	case any("date", "datum"):
		return as(kDate, 0)
	case any("time", "elapsed", "zeit", "clock", "uhrzeit", "runtime", "testtime", "duration", "seconds", "minutes",
		"hours") || asTime && any("t", "test", "total"):
		rank := 2
		switch {
		case any("step", "cycle", "phase", "stage", "segment"):
			rank = 0
		case any("total", "test", "elapsed", "testtime", "runtime", "run"):
			rank = 4
		case any("clock", "uhrzeit", "system", "absolute"):
			rank = 3
		}
		if !asTime && stamp.TimeUnits[base] > 0 {
			c.unit, unit = base, base
		}
		return as(KTime, rank)
	case asAh || any("capacity", "ah", "mah", "kapazität") && unit == "":
		if base == "mah" || slices.Contains(words, "mah") {
			unit = "mah"
		}
		return as(kAh, rank)
	case any("temp", "temperature", "temperatur", "temps") || asTemp && (strings.HasPrefix(unit, "°") ||
		strings.HasPrefix(unit, "deg") || unit == "celsius" || any("t", "t1", "ϑ", "probe", "sensor")):
		return as(kTemp, rank)
	case any("step", "state", "status", "mode", "phase", "stage", "schritt", "zustand") && !asVolts && !asAmps:
		if any("index", "no", "number", "id", "nr") {
			return as(kStep, -1)
		}
		return as(kStep, 1)
	case asVolts || any("volts", "volt", "voltage", "spannung", "u", "v", "mv") && !asAmps:
		if base == "mv" {
			unit = "mv"
		}
		return as(kVolts, rank)
	case asAmps || any("amps", "amp", "ampere", "current", "strom", "ladestrom", "entladestrom", "i", "a", "ma"):
		if base == "ma" {
			unit = "ma"
		}
		switch {
		case any(outWords...):
			c.side = kAmpsOut
		case any(inWords...):
			c.side = kAmpsIn
		}
		return as(KAmps, rank)
	case stamp.TimeUnits[base] > 0 && len(base) > 1 || base == "t":
		unit = base
		return as(KTime, 2)
	}
	return column{}
}

// recognise names the columns of a header line by word and unit. More than one column may be of a kind
// still; choose decides.
func recognise(raw []byte, sep byte) []column {
	fields := splitLine(raw, sep)
	cols := make([]column, len(fields))
	for i, f := range fields {
		name := strings.Trim(strings.TrimSpace(string(f)), `"'`)
		cols[i] = classify(name)
		cols[i].name = strings.ToValidUTF8(name, "?")
	}
	return cols
}

func splitLine(raw []byte, sep byte) [][]byte { return bytes.Split(raw, []byte{sep}) }

// unitsLine applies a line of units below the header, and reports whether it was one.
func unitsLine(raw []byte, sep byte, cols []column) bool {
	fields := splitLine(raw, sep)
	found := 0
	for _, f := range fields {
		s := strings.ToLower(strings.Trim(strings.TrimSpace(string(f)), `"'[]()`))
		switch {
		case s == "" || s == "-":
		case isUnit(s) || strings.HasPrefix(s, "h:m") || strings.HasPrefix(s, "hh:"):
			found++
		default:
			return false
		}
	}
	if found == 0 {
		return false
	}
	for i, f := range fields {
		if i >= len(cols) {
			break
		}
		s := strings.ToLower(strings.Trim(strings.TrimSpace(string(f)), `"'[]()`))
		if c := &cols[i]; c.kind == kIgnore && isUnit(s) {
			name := c.name
			*c = classify(name + " [" + s + "]")
			c.name = name
		} else if f, ok := UnitFactor(c.kind, s); ok {
			c.scale, c.unit, c.told = f, s, true
			if c.kind == kTemp && f != 1 {
				c.zero = -32 / 1.8
			}
		}
	}
	return true
}

// choose leaves one column of each kind, the best of all candidates: filled before empty, then by what
// its name says, then the first. sample holds the fields of some data lines.
//
// In one piece: columns compete for the same role, and who is taken first decides the rest.
func choose(cols []column, sample [][][]byte, comma bool) {
	filled := func(i int) float64 {
		n, ok := 0, 0
		for _, row := range sample {
			if i >= len(row) {
				continue
			}
			n++
			f := trim(row[i])
			good := len(f) > 0
			if k := cols[i].kind; k != kStep && k != KTime && k != kDate {
				_, good = cols[i].cell(f, comma)
			}
			if good {
				ok++
			}
		}
		if n == 0 {
			return 1
		}
		return float64(ok) / float64(n)
	}
	dated := slices.ContainsFunc(cols, func(c column) bool { return c.kind == kDate })
	bothWays(cols, filled)
	fromOne(cols)
	for k := KTime; k <= kAmpsOut; k++ {
		if k == kGroup {
			continue
		}
		best := -1
		score := func(i int) float64 {
			s := float64(cols[i].rank)
			if share := filled(i); share < 0.5 {
				s -= 10
			} else {
				s += share
			}
			if k == KTime && dated && !cols[i].told && looksLikeClock(sample, i) {
				s += 0.5
			}
			return s
		}
		for i := range cols {
			if cols[i].kind == k && (best < 0 || score(i) > score(best)) {
				best = i
			}
		}
		for i := range cols {
			if cols[i].kind == k && i != best {
				cols[i].kind = kIgnore
			}
		}
	}
	// A date belongs to a clock; beside a counter it is not needed, and alone it is the time.
	time, date := -1, -1
	for i := range cols {
		switch cols[i].kind {
		case KTime:
			time = i
		case kDate:
			date = i
		}
	}
	switch {
	case date < 0:
	case time < 0:
		cols[date].kind = KTime
	case !looksLikeClock(sample, time):
		cols[date].kind = kIgnore
	}
	for i := range cols { // a column of a group that was never connected
		if cols[i].kind == kGroup && filled(i) == 0 {
			cols[i].kind = kIgnore
		}
	}
}

// bothWays takes a column of charging and one of discharging for one current, where no column holds both.
func bothWays(cols []column, filled func(i int) float64) {
	if has(cols, kAmpsIn) || has(cols, kAmpsOut) { // as a person said: no other column is the current then
		for i := range cols {
			if cols[i].kind == KAmps {
				cols[i].kind = kIgnore
			}
		}
		return
	}
	in, out := -1, -1
	for i := range cols {
		c := &cols[i]
		switch {
		case c.kind != KAmps || c.rank < 0:
		case c.side == kAmpsIn:
			in = i
		case c.side == kAmpsOut:
			out = i
		case filled(i) >= 0.5:
			return
		}
	}
	if in < 0 || out < 0 {
		return
	}
	for i := range cols {
		if cols[i].kind == KAmps {
			cols[i].kind = kIgnore
		}
	}
	cols[in].kind, cols[out].kind = kAmpsIn, kAmpsOut
}

// fromOne counts groups from one where the file counts them from zero.
func fromOne(cols []column) {
	if !slices.ContainsFunc(cols, func(c column) bool { return c.kind == kGroup && c.group == 0 }) {
		return
	}
	for i := range cols {
		if cols[i].kind == kGroup {
			cols[i].group++
		}
	}
}

// cell reads a number of a column as it stands in a line, in the column's unit: with thousands parted, or with a unit
// behind it that may be another than the column's.
func (c *column) cell(f []byte, comma bool) (float64, bool) {
	if v, ok := digits.Number(f, comma); ok && !c.dots {
		return v, true
	}
	if v, ok := digits.Grouped(f, comma, c.dots); ok {
		return v, true
	}
	end := len(f)
	for end > 0 && (f[end-1] < '0' || f[end-1] > '9') {
		end--
	}
	unit := strings.TrimSpace(string(f[end:]))
	factor, ok := UnitFactor(c.kind, unit)
	if !ok || end == 0 || c.scale == 0 {
		return 0, false
	}
	v, ok := digits.Number(trim(f[:end]), comma)
	if !ok {
		if v, ok = digits.Grouped(trim(f[:end]), comma, c.dots); !ok {
			return 0, false
		}
	}
	v *= factor
	if c.kind == kTemp && factor != 1 {
		v -= 32 / 1.8
	}
	return (v - c.zero) / c.scale, true
}

// looksLikeClock reports whether a column holds clock times such as 10:00:05.
func looksLikeClock(sample [][][]byte, i int) bool {
	for _, row := range sample {
		if i < len(row) && len(trim(row[i])) > 0 {
			f := trim(row[i])
			return bytes.IndexByte(f, ':') >= 0 && !bytes.ContainsAny(f, "/-") && len(f) < 17
		}
	}
	return false
}

// Assign says what a column holds, instead of what its name does. Kind is one of Kinds; Group its number
// for a group; Unit may be empty for the SI unit.
type Assign struct {
	Kind  string `json:"Kind"`
	Group int    `json:"Group"`
	Unit  string `json:"Unit"`
}

// ParseOptions are how a log is read. Columns are by number from 1; a column that is not listed stays as its name
// says, unless another is said to be of its kind. DateOrder is dmy, mdy or ymd, empty to find it. Beside calls do with
// each number below n, at once where it can, and returns when all are done; nil for one after the other. The log is the
// same either way. Passed is told how many bytes at the end of the file are still to be read, each time there are
// fewer; nil for nobody.
type ParseOptions struct {
	Columns   map[int]Assign
	DateOrder string
	Beside    func(n int, do func(i int))
	Passed    func(left int)
}

// ParseAssign reads what a column holds from text such as volts:mV, time:min, group 3 or ignore.
func ParseAssign(s string) (Assign, error) {
	kindText, unit, _ := strings.Cut(strings.TrimSpace(s), ":")
	word := strings.ToLower(strings.TrimSpace(kindText))
	a := Assign{Kind: word, Unit: strings.TrimSpace(unit)}
	if n, ok := strings.CutPrefix(word, "group"); ok {
		a.Kind = "group"
		g, err := strconv.Atoi(strings.TrimSpace(n))
		if err != nil || g < 1 || g > 400 {
			return a, fmt.Errorf("%q: expected the group's number behind it, such as group 3", s)
		}
		a.Group = g
	}
	k := slices.Index(KindNames[:], a.Kind)
	if k < 0 {
		return a, fmt.Errorf("%q: expected one of %s, with a unit behind a colon where it is not the SI unit", s,
			strings.Join(KindNames[:], ", "))
	}
	if a.Unit != "" {
		if _, ok := UnitFactor(Kind(k), a.Unit); !ok {
			return a, fmt.Errorf("%q: %s has no unit %s", s, a.Kind, a.Unit)
		}
	}
	return a, nil
}

// assign puts what a person said over what the names say.
func assign(cols []column, opt ParseOptions) error {
	for n, a := range opt.Columns {
		if n < 1 || n > len(cols) {
			return &ParseError{Text: fmt.Sprintf("column %d: expected 1 to %d", n, len(cols))}
		}
		k := Kind(slices.Index(KindNames[:], a.Kind))
		if k < 0 {
			return &ParseError{Text: fmt.Sprintf("column %d: %q: expected one of %s", n, a.Kind,
				strings.Join(KindNames[:], ", "))}
		}
		c := column{kind: k, scale: 1, group: a.Group, name: cols[n-1].name, unit: a.Unit, rank: math.MaxInt32,
			told: a.Unit != ""}
		if a.Unit == "" && k == cols[n-1].kind {
			c.scale, c.zero, c.unit, c.told = cols[n-1].scale, cols[n-1].zero, cols[n-1].unit, cols[n-1].told
		}
		if a.Unit != "" {
			f, ok := UnitFactor(k, a.Unit)
			if !ok {
				return &ParseError{Text: fmt.Sprintf("column %d: %s has no unit %q", n, a.Kind, a.Unit)}
			}
			c.scale = f
			if k == kTemp && f != 1 {
				c.zero = -32 / 1.8
			}
		}
		cols[n-1] = c
	}
	return nil
}

// ReadAs is what a person says of a log: what its columns hold, the order of its dates, which group was at its floor
// where the log has no group voltages, the stretch whose discharge counts where that is not all of it, the current
// below which nothing flows, and that the current was checked with a second meter.
type ReadAs struct {
	Columns      map[int]Assign `json:"Columns"`
	DateOrder    string         `json:"DateOrder"`
	EndedByGroup int            `json:"EndedByGroup"`
	EndedAtVolts float64        `json:"EndedAtVolts"`
	CutFromS     float64        `json:"CutFromS,omitempty"`
	CutToS       float64        `json:"CutToS,omitempty"`
	DeadBandAmps float64        `json:"DeadBandAmps,omitempty"`
	Checked      bool           `json:"Checked,omitempty"`
}

// KindText writes for a person what a column is said to hold.
func KindText(kind string) string {
	switch kind {
	case "ignore":
		return "nothing that is needed"
	case "temp":
		return "temperature"
	case "ah":
		return "charge count, Ah"
	case "step":
		return "step words"
	case "amps-in":
		return "amps, of charging alone"
	case "amps-out":
		return "amps, of discharging alone"
	}
	return kind
}
