// Package sizing says what a conductor, a fuse, a pre-charge resistor, a joint and a screw must be for a current
// (rules §10): from the current to the part, and from a part in the hand to the current it bears.
//
// Sources. Resistance: ρ(20 °C) = 0.017241 Ω·mm²/m for copper, 0.02826 for aluminium, with their temperature
// coefficients. Ampacity of cables: NEC 310.16 and 310.17, 75 °C column at 30 °C; other temperatures by
// √((Tc − Ta)/(Tc − 30)). Bars: Melsom and Booth (J. IEE 62, 1924), still air. All of it is a start: the local code and
// the maker's data come first.
package sizing

import (
	"fmt"
	"math"
)

// Metal is what a conductor is made of.
type Metal string

// The metals.
const (
	Copper    Metal = "copper"
	Aluminium Metal = "aluminium"
	Steel     Metal = "steel"     // mild steel
	Stainless Metal = "stainless" // steel that does not rust
)

// Place is how a cable lies.
type Place string

// The places: in free air, in a conduit or bundle. At a cell post the 60 °C column counts, since a hot lug heats the
// cell.
const (
	FreeAir Place = "free-air"
	Conduit Place = "conduit"
)

// Limits and defaults of rules §10.
const (
	DesignFactor    = 1.25 // of the larger of load and charge current, once
	TableAmbientC   = 30.0
	ColumnC         = 75.0 // of the table
	PostColumnC     = 60.0 // at cell posts
	BankDropShare   = 0.01 // voltage drop in the bank, both ways
	LoadDropShare   = 0.03 // to the load
	DefaultBarRiseK = 30.0
	rule            = "rules §10"
)

// metal is its resistivity in Ω·mm²/m at 20 °C with its coefficient, and what it bears as a share of copper. Steels
// vary: theirs are typical.
type metal struct{ rho, alpha, bears float64 }

var metals = map[Metal]metal{Copper: {0.017241, 0.00393, 1}, Aluminium: {0.02826, 0.00403, 0.78},
	Steel: {0.15, 0.005, 0.35}, Stainless: {0.73, 0.001, 0.15}}

// awg is the American wire gauges of the table, with their ampacity in amps at 75 °C and 30 °C ambient.
type awg struct {
	name             string
	n                int // 0, −1, −2, −3 for 1/0 to 4/0
	conduit, freeAir float64
}

// The thin ones are policy, a single wire in air (rules §10); in a bundle they bear as much less as the others. Nothing
// thinner carries a load.
var gauges = []awg{{"26", 26, 0.67, 1}, {"24", 24, 1.3, 2}, {"22", 22, 2, 3}, {"20", 20, 3.3, 5}, {"18", 18, 4.7, 7},
	{"16", 16, 6.7, 10}, {"14", 14, 20, 30}, {"12", 12, 25, 35}, {"10", 10, 35, 50}, {"8", 8, 50, 70}, {"6", 6, 65, 95},
	{"4", 4, 85, 125}, {"3", 3, 100, 145}, {"2", 2, 115, 170}, {"1", 1, 130, 195}, {"1/0", 0, 150, 230},
	{"2/0", -1, 175, 265}, {"3/0", -2, 200, 310}, {"4/0", -3, 230, 360}}

// Sections are the metric sections that are sold, mm².
func Sections() []float64 {
	return []float64{1.5, 2.5, 4, 6, 10, 16, 25, 35, 50, 70, 95, 120, 150, 185, 240, 300}
}

// LeastMM2 is the thinnest section that is sold for power, mm².
const LeastMM2 = 1.5

// GaugeMM2 is the section of American wire gauge n; 0, −1, −2 and −3 stand for 1/0 to 4/0.
func GaugeMM2(n int) float64 {
	d := 0.127 * math.Pow(92, float64(36-n)/39)
	return math.Pi / 4 * d * d
}

// GaugeOf names the thinnest gauge of the table that is at least as thick as a section in mm², and the nearest one.
func GaugeOf(mm2 float64) (atLeast, nearest string) {
	best := math.Inf(1)
	for _, g := range gauges {
		m := GaugeMM2(g.n)
		if atLeast == "" && m >= mm2*0.995 {
			atLeast = g.name
		}
		if d := math.Abs(math.Log(m / mm2)); d < best {
			best, nearest = d, g.name
		}
	}
	if atLeast == "" {
		atLeast = "above 4/0"
	}
	return atLeast, nearest
}

// Ohms is the resistance of a length in metres of a section in mm² at a temperature.
func Ohms(m Metal, mm2, metres, tempC float64) float64 {
	x := metals[m]
	return x.rho * (1 + x.alpha*(tempC-20)) * metres / mm2
}

// CableAmps is what a cable carries for ever: the table at its column temperature (75 °C, at cell posts 60), corrected
// for the ambient. Between the sections of the table, and beyond its thick end, on the straight line of their
// logarithms. It is 0 for what is thinner than the table, and where the ambient leaves nothing.
func CableAmps(m Metal, mm2 float64, p Place, columnC, ambientC float64) float64 {
	if !(mm2 > 0) || ambientC >= columnC {
		return 0
	}
	if mm2 < 0.995*GaugeMM2(gauges[0].n) {
		return 0
	}
	section := func(i int) float64 { return GaugeMM2(gauges[i].n) }
	amps := func(i int) float64 {
		if p == Conduit {
			return gauges[i].conduit
		}
		return gauges[i].freeAir
	}
	k := 1
	for k < len(gauges)-1 && section(k) < mm2 {
		k++
	}
	slope := math.Log(amps(k)/amps(k-1)) / math.Log(section(k)/section(k-1))
	out := amps(k-1) * math.Pow(mm2/section(k-1), slope) * math.Sqrt((columnC-TableAmbientC)/(ColumnC-TableAmbientC)) *
		math.Sqrt((columnC-ambientC)/(columnC-TableAmbientC))
	return out * metals[m].bears
}

// BarRise is the rise that is allowed a bar: 30 K, and never above 60 °C, since it heats the cell it stands on.
func BarRise(ambientC float64) float64 { return max(0, min(DefaultBarRiseK, PostColumnC-ambientC)) }

// BarAmps is what a bar of a section in mm² and a perimeter in mm carries for ever in still air at a rise in kelvin:
// 7.73·A^0.5·p^0.39 A at 50 K.
func BarAmps(m Metal, mm2, perimeterMM, riseK float64) float64 {
	if !(mm2 > 0 && perimeterMM > 0 && riseK > 0) {
		return 0
	}
	out := 7.73 * math.Sqrt(mm2) * math.Pow(perimeterMM, 0.39) * math.Pow(riseK/50, 0.6)
	return out * metals[m].bears
}

// Cable asks for a cable: the current it is to carry for ever, the way there (the current goes it twice), the drop that
// is allowed of the volts, and where it lies.
type Cable struct {
	Amps      float64 // the larger of load and charge
	OneWayM   float64
	Volts     float64 // of the system, for the drop
	DropShare float64 // 0 takes 3 %
	Metal     Metal   // "" copper
	Place     Place   // "" free air
	AtPosts   bool    // ends on cell posts: the 60 °C column
	AmbientC  float64
}

// Sized is a cable and what it does. Volts lost and watts are at Amps, there and back; the temperature is where it
// settles.
type Sized struct {
	DesignAmps float64 `json:"design_a"`
	MM2        float64 `json:"mm2"`
	AWG        string  `json:"awg"`
	BearsAmps  float64 `json:"bears_a"`
	DropVolts  float64 `json:"drop_v"`
	DropShare  float64 `json:"drop_share"`
	RiseK      float64 `json:"rise_k"`
	LostWatts  float64 `json:"lost_w"`
	MOhm       float64 `json:"mohm"`
	ByDrop     bool    `json:"by_drop"` // the drop decided, not the heat
	ByHeatMM2  float64 `json:"by_heat_mm2"`
	ByDropMM2  float64 `json:"by_drop_mm2"`
}

func (c Cable) filled() (Cable, error) {
	if c.Metal == "" {
		c.Metal = Copper
	}
	if c.Place == "" {
		c.Place = FreeAir
	}
	if c.DropShare == 0 {
		c.DropShare = LoadDropShare
	}
	if _, ok := metals[c.Metal]; !ok {
		return c, fmt.Errorf("metal %q: expected copper, aluminium, steel or stainless", string(c.Metal))
	}
	if c.Place != FreeAir && c.Place != Conduit {
		return c, fmt.Errorf("place %q: expected free-air or conduit", string(c.Place))
	}
	for _, f := range []struct {
		name         string
		v, low, high float64
	}{{"amps", c.Amps, 1e-6, 1e5}, {"length", c.OneWayM, 0, 1e4}, {"volts", c.Volts, 0.1, 2000},
		{"drop", c.DropShare, 1e-4, 0.5}, {"ambient", c.AmbientC, -50, 59}} {
		if !(f.v >= f.low && f.v <= f.high) {
			return c, fmt.Errorf("%s %v: expected %v to %v", f.name, f.v, f.low, f.high)
		}
	}
	return c, nil
}

func (c Cable) column() float64 {
	if c.AtPosts {
		return PostColumnC
	}
	return ColumnC
}

// Choose takes the thinnest section on sale that bears the design current and keeps the drop. It fails where none does.
func Choose(c Cable) (Sized, error) {
	c, err := c.filled()
	if err != nil {
		return Sized{}, err
	}
	var heat, drop float64
	for _, a := range Sections() {
		s := c.at(a)
		if heat == 0 && s.BearsAmps >= DesignFactor*c.Amps {
			heat = a
		}
		if drop == 0 && s.DropShare <= c.DropShare {
			drop = a
		}
	}
	if heat == 0 || drop == 0 {
		most := Sections()[len(Sections())-1]
		return c.at(most), fmt.Errorf("%.0f A over %.1f m: not even %.0f mm² does; expected fewer amps, a shorter "+
			"way, or several cables beside each other", c.Amps, c.OneWayM, most)
	}
	s := c.at(max(heat, drop))
	s.ByDrop, s.ByHeatMM2, s.ByDropMM2 = drop > heat, heat, drop
	return s, nil
}

// Of says what a given section does.
func Of(c Cable, mm2 float64) (Sized, error) {
	c, err := c.filled()
	if err == nil && !(mm2 > 0 && mm2 < 1e5) {
		err = fmt.Errorf("section %v mm²: expected above 0", mm2)
	}
	if err != nil {
		return Sized{}, err
	}
	return c.at(mm2), nil
}

func (c Cable) at(mm2 float64) Sized {
	s := Sized{DesignAmps: DesignFactor * c.Amps, MM2: mm2, BearsAmps: CableAmps(c.Metal, mm2, c.Place, c.column(),
		c.AmbientC)}
	_, s.AWG = GaugeOf(mm2)
	if s.BearsAmps > 0 { // heat goes with the square of the current
		s.RiseK = math.Pow(c.Amps/s.BearsAmps, 2) * (c.column() - c.AmbientC)
	}
	// The drop is told at the temperature at which the table is: never less than it will be within its rating.
	ohms := Ohms(c.Metal, mm2, 2*c.OneWayM, c.column())
	s.MOhm, s.DropVolts, s.LostWatts = ohms*1000, c.Amps*ohms, c.Amps*c.Amps*ohms
	s.DropShare = s.DropVolts / c.Volts
	return s
}

// Stock is a conductor in the hand, measured: strands of a diameter, a bar of width and thickness with holes, or a pipe
// flattened to a strap. Millimetres.
type Stock struct {
	Strands  int
	StrandMM float64
	WidthMM  float64
	ThickMM  float64
	HoleMM   float64 // the widest hole across it
	PipeMM   float64 // outer diameter of a pipe, with ThickMM of its wall
	Metal    Metal
	PrintMM2 float64 // what is printed on it, 0 for nothing
	AmbientC float64
}

// Measured is what stock in the hand is.
type Measured struct {
	MM2       float64 `json:"mm2"`
	AWG       string  `json:"awg"`
	BearsAmps float64 `json:"bears_a"`
	Kind      string  `json:"kind"`
	PrintOff  float64 `json:"print_off"` // how far the print is off, as a share; 0 for no print
}

// Measure works out the section and what it bears at cell posts.
func Measure(s Stock) (m Measured, err error) {
	if s.Metal == "" {
		s.Metal = Copper
	}
	if _, ok := metals[s.Metal]; !ok {
		return m, fmt.Errorf("metal %q: expected copper, aluminium, steel or stainless", string(s.Metal))
	}
	for _, v := range []float64{s.StrandMM, s.WidthMM, s.ThickMM, s.HoleMM, s.PipeMM, s.PrintMM2} {
		if !(v >= 0 && v < 1e4) {
			return m, fmt.Errorf("%v mm: expected 0 or more", v)
		}
	}
	switch {
	case s.Strands > 0 && s.StrandMM > 0:
		m.Kind, m.MM2 = "cable", float64(s.Strands)*math.Pi/4*s.StrandMM*s.StrandMM
		m.BearsAmps = CableAmps(s.Metal, m.MM2, FreeAir, PostColumnC, s.AmbientC)
	case s.PipeMM > 0 && s.ThickMM > 0 && 2*s.ThickMM < s.PipeMM:
		m.Kind = "flattened pipe"
		whole := math.Pi * (s.PipeMM - s.ThickMM) * s.ThickMM
		m.MM2 = whole - 2*s.ThickMM*s.HoleMM // a hole goes through both walls
		half := math.Pi * (s.PipeMM - s.ThickMM) / 2
		m.BearsAmps = BarAmps(s.Metal, m.MM2, 2*(half+2*s.ThickMM), BarRise(s.AmbientC))
	case s.WidthMM > 0 && s.ThickMM > 0:
		m.Kind, m.MM2 = "bar", (s.WidthMM-s.HoleMM)*s.ThickMM
		m.BearsAmps = BarAmps(s.Metal, m.MM2, 2*(s.WidthMM+s.ThickMM), BarRise(s.AmbientC))
	default:
		return m, fmt.Errorf("expected strands and their diameter, a bar's width and thickness, or a pipe's diameter " +
			"with its wall, in millimetres")
	}
	if m.MM2 <= 0 {
		return m, fmt.Errorf("a hole of %v mm leaves nothing of %v mm", s.HoleMM, s.WidthMM)
	}
	if s.PrintMM2 > 0 {
		m.PrintOff = m.MM2/s.PrintMM2 - 1
	}
	_, m.AWG = GaugeOf(m.MM2)
	return m, nil
}

// Inequality is how two strings of the same resistance share where one's cable is longer: the share of the first, from
// the ohms of each cable and the milliohms of a string.
func Inequality(stringMOhm, firstMOhm, secondMOhm float64) float64 {
	a, b := stringMOhm+firstMOhm, stringMOhm+secondMOhm
	if a+b <= 0 {
		return 0.5
	}
	return b / (a + b)
}

// RingHole is the hole that a ring for a stud should have, millimetres.
func RingHole(studMM float64) (low, high float64) { return studMM + 0.2, studMM + 0.6 }

// Studs are the usual ones, millimetres.
func Studs() []float64 { return []float64{4, 5, 6, 8, 10, 12} }

// StudFor is the least stud that usually goes with a section: the contact face of its ring must carry the current.
func StudFor(mm2 float64) float64 {
	for i, most := range []float64{2.5, 6, 35, 95, 185} {
		if mm2 <= most {
			return Studs()[i]
		}
	}
	return 12
}
