package standing_test

import (
	"math"
	"strings"
	"testing"

	"pandrel/core/bank/floor"
	"pandrel/core/procedure/standing"
)

// A bank as it stands reads back off its own drawing as what is known of it.
func TestABankThatStandsIsDrawn(t *testing.T) {
	read := []float64{3.30, 3.31, 3.30, 3.29, 3.30, 3.31, 3.30, 3.29}
	for name, x := range map[string]struct {
		b                 standing.Bank
		c                 standing.Cells
		total             float64
		volts             []float64
		modules, parallel int
		assumed           bool
		volt              float64
	}{
		"one string, each group read": {standing.Bank{}, standing.Cells{Series: 8, Chemistry: "lfp", Ah: 200}, 26.4,
			read,
			1, 1, false, 26.4},
		"a bar parts it": {standing.Bank{PartsAfter: 3}, standing.Cells{Series: 8, Chemistry: "lfp"}, 26.4, read, 2, 1,
			false, 26.4},
		"five strings of two": {standing.Bank{Strings: 5}, standing.Cells{Series: 16, InString: 2, Chemistry: "lfp"},
			53.2,
			nil, 10, 5, true, 53.2},
		"never read, declared": {standing.Bank{}, standing.Cells{Series: 14, InString: 7, Chemistry: "nmc"}, 0, nil,
			7, 1,
			true, 51.1},
		"read, not declared": {standing.Bank{}, standing.Cells{Series: 20}, 78.4, nil, 1, 1, true, 78.4},
	} {
		d, units, why := standing.Drawn(x.b, x.c, x.total, x.volts)
		if why != "" {
			t.Errorf("%s: %s", name, why)
			continue
		}
		s, err := floor.Judge(d, units)
		if err != nil {
			t.Fatalf("%s: %v", name, err)
		}
		if s.Tells.Modules != x.modules || s.Tells.Series != x.c.Series || s.Tells.Parallel != x.parallel {
			t.Errorf("%s: drawn as %d pieces, %d in series, %d in parallel", name, s.Tells.Modules, s.Tells.Series,
				s.Tells.Parallel)
		}
		if got := s.Volts["OUT+"]; math.Abs(got-x.volt) > 0.011 {
			t.Errorf("%s: %.2f V at the plus: expected %.2f V", name, got, x.volt)
		}
		if got := units.Source().String() == "assumed"; got != x.assumed {
			t.Errorf("%s: its volts are %v", name, units.Source())
		}
	}
}

// What is not known is not drawn, and said.
func TestWhatIsNotKnownIsNotDrawn(t *testing.T) {
	for says, c := range map[string]standing.Cells{"counted": {}, "evenly": {Series: 7, InString: 2, Chemistry: "lfp"},
		"never read": {Series: 8}} {
		if _, _, why := standing.Drawn(standing.Bank{}, c, 0, nil); !strings.Contains(why, says) {
			t.Errorf("%q: expected it to speak of %q", why, says)
		}
	}
}

// Its own BMS sees every group where it opens the circuit, and is a monitor where it does not.
func TestItsOwnBMSIsDrawn(t *testing.T) {
	for opens, kind := range map[string]floor.Kind{standing.OpensYes: floor.BMS, standing.OpensNo: floor.Board,
		"": floor.Board} {
		d, units, why := standing.Drawn(standing.Bank{}, standing.Cells{Series: 8, Chemistry: "lfp", BMS: "own",
			Opens: opens}, 26.4, nil)
		if why != "" {
			t.Fatal(why)
		}
		s, err := floor.Judge(d, units)
		if err != nil {
			t.Fatal(err)
		}
		if p := d.Piece("B1"); p == nil || p.Kind != kind {
			t.Errorf("opens %q: drawn as %+v, expected a %s", opens, p, kind)
		}
		if got := len(s.Leads(units)); got != 9 {
			t.Errorf("opens %q: %d leads: expected nine", opens, got)
		}
	}
}
