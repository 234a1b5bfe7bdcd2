package standing

import (
	"fmt"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/module/capacity"
)

// Cells is what is known of the inside of a bank that somebody else built: groups in series, chemistry (empty where
// nobody declared it), capacity in amp hours (0 where not known), and its BMS in words.
type Cells struct {
	Series    int     `json:"Series"`
	Chemistry chem.ID `json:"Chemistry"`
	Ah        float64 `json:"Ah"`
	Wh        float64 `json:"Wh,omitempty"` // where its label says that instead: Ah follows from it
	BMS       string  `json:"BMS"`
	Opens     string  `json:"Opens"` // whether its BMS opens the circuit by itself: OpensYes, OpensNo, "" not known
	Chosen    string  `json:"-"`     // the BMS that it is to get, "" for none
	Designed  bool    `json:"-"`     // it was built here: its design says all of this
	Made      string  `json:"Made"`  // of what, as far as anybody knows
	// May are the counts of groups that it may have where nobody counted them, with what it read end to end.
	May   []int   `json:"May,omitempty"`
	ReadV float64 `json:"ReadV,omitempty"`
	// ReadDigit is the weight of the last digit of that reading.
	ReadDigit float64 `json:"ReadDigit,omitempty"`
	// what hangs on it, a line each (package ways); whether it can freeze there ("yes", "no", "" not known) and what
	// keeps it from being charged then; what is used of it a day
	Ways    string  `json:"Ways,omitempty"`
	Freezes string  `json:"Freezes,omitempty"`
	FrostBy string  `json:"FrostBy,omitempty"`
	DayAh   float64 `json:"DayAh,omitempty"`
	DayWh   float64 `json:"DayWh,omitempty"` // where it was said in watt hours
	// InString is how many parts, boxes or modules, stand in series in each string, 0 not known.
	InString int `json:"InString,omitempty"`
	// Owners says which strings are whose: "A: 1 to 3; B: 4, 5".
	Owners string `json:"Owners,omitempty"`
}

// Known reports whether anything of the inside is known.
func (c Cells) Known() bool { return c.Series > 0 }

// FloorVolts is the least that a bank is expected to read: every group at its floor, or where its groups were not
// counted half of what it was read at; 0 not known.
func (c Cells) FloorVolts() float64 {
	if ch, err := chem.Lookup(c.Chemistry); err == nil && c.Known() {
		return float64(c.Series) * ch.FloorVolts
	}
	return c.ReadV / 2
}

// Rated fills in the amp hours where the label says watt hours, as soon as groups and chemistry are known.
func (c Cells) Rated() Cells {
	if c.Wh > 0 {
		c.Ah, _ = capacity.OfEnergy(c.Wh, c.Series, c.Chemistry)
	}
	return c
}

// Check says what cannot be used.
func (c Cells) Check() (field, text string) {
	switch {
	case c.Series < 0 || c.Series > 400:
		return "series", "expected 1 to 400 groups in series"
	case c.InString < 0 || c.InString > mostBlocks || c.Series > 0 && c.InString > c.Series:
		return "in_string", fmt.Sprintf("expected 1 to %s in a string, and no more than it has groups",
			numeral.Count(mostBlocks, "part"))
	case !(c.Wh >= 0 && c.Wh <= 1e8):
		return "ah", "expected 0 (not known) to 100 000 kWh"
	case !(c.Ah >= 0 && c.Ah <= 1e5):
		return "ah", "expected 0 (not known) to 100 000 Ah"
	}
	if field, text := c.checkHangs(); field != "" {
		return field, text
	}
	if c.Opens != "" && c.Opens != OpensYes && c.Opens != OpensNo {
		return "opens", "expected yes, no or not known"
	}
	if c.Chemistry != "" {
		if _, err := chem.Lookup(c.Chemistry); err != nil {
			return "chemistry", err.Error()
		}
	}
	return "", ""
}

// highestGroup is what a full group may stand at where the chemistry is not known: the highest of all.
const highestGroup = 4.20

// Volts are the nominal and the full voltage of the bank. Where its chemistry is not known, what stands there now
// counts as nominal, and for full the highest that any chemistry reaches: a limit of touch is not taken too lightly.
func (c Cells) Volts(now float64) (nominal, full float64) {
	if !c.Known() && len(c.May) > 0 {
		return max(now, 0.1), max(now, c.mostVolts())
	}
	s := float64(c.Series)
	if ch, err := chem.Lookup(c.Chemistry); err == nil {
		return s * ch.NominalVolts, s * ch.ChargeLimitVolts
	}
	return max(now, 0.1), max(now, s*highestGroup)
}

// overRead is how far above full a bank may be read by its meter alone, as a share: as the gates allow.
const overRead = 0.02

// Contradicts says why a bank that was read at so many volts end to end cannot hold these groups, "" where it can:
// what is above the limit of touch would otherwise be taken for less.
func (c Cells) Contradicts(read float64) string {
	if _, full := c.Volts(0); c.Known() && read > (1+overRead)*full {
		return fmt.Sprintf("%.1f V were read end to end: %.2f V for each of %s, and a full one has %.2f V. "+
			"Count the groups again", read, read/float64(c.Series), numeral.Count(c.Series, "group"),
			full/float64(c.Series))
	}
	return ""
}

// String says it in a line.
func (c Cells) String() string {
	out := numeral.Count(c.Series, "group")
	if !c.Known() && len(c.May) > 0 {
		out = fmt.Sprintf("%s groups", strings.Trim(strings.ReplaceAll(fmt.Sprint(c.May), " ", " or "), "[]"))
	}
	if ch, err := chem.Lookup(c.Chemistry); err == nil {
		out += " of " + ch.Name
	} else {
		out += ", chemistry not declared"
	}
	if c.Ah > 0 {
		out += fmt.Sprintf(", %.0f Ah", c.Ah)
	}
	if c.Wh > 0 {
		out += fmt.Sprintf(" (%.1f kWh by its label)", c.Wh/1000)
	}
	return out
}
