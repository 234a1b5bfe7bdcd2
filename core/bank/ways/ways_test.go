package ways_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"pandrel/core/bank/ways"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

func judged(t *testing.T, b ways.Bank, text string) []finding.Finding {
	t.Helper()
	list, err := ways.Read(text)
	if err != nil {
		t.Fatal(err)
	}
	return ways.Judge(b, list)
}

func TestWhatHangsOnABank(t *testing.T) {
	opens := ways.Bank{Opens: true, LowVolts: 10, NowVolts: 12.3, FullVolts: 14.6}
	for name, c := range map[string]struct {
		text, code      string
		measured, limit float64
		unit            string
	}{
		"round the switch": {"second: at the cells; fuse 10 A; outlet 10 A", "way-around-switch", findingtest.None,
			findingtest.None, ""},
		"a charger too much": {"first: behind the relay; fuse 15 A; charger 16 A", "way-too-much", 16, 15, "A"},
		"watts too much":     {"first: behind the switch; fuse 15 A; load 200 W", "way-too-much", 20, 15, "A"},
		"a weak plug": {"main: behind the switch; breaker 63 A; plug 50 A; inverter", "way-weak-part", 50, 63,
			"A"},
		"a thin wire": {"main: behind the switch; breaker 63 A; inverter\nmeter: behind main; wire AWG " +
			"22; meter", "way-weak-part", 3, 63, "A"},
		"unprotected": {"lamp: behind the switch; wire 2.5 mm²; load 5 A", "way-unprotected", findingtest.None,
			findingtest.None, ""},
	} {
		fs := judged(t, opens, c.text)
		findingtest.Holds(t, fs, c.code, finding.Stop, c.measured, c.limit, c.unit)
		if len(fs) != 1 {
			t.Errorf("%s: %+v", name, fs)
		}
	}
	for name, text := range map[string]string{
		"as it should be":    "first: behind the switch; fuse 15 A; wire 2.5 mm²; outlet 16 A; charger 10 A",
		"a monitor's supply": "supply: at the cells; fuse 1 A; wire AWG 22; meter",
		"its own smaller fuse": "main: behind the switch; breaker 63 A; plug 80 A\nmeter: behind main; fuse " +
			"2 A; wire AWG 22; meter",
		"amps of it not known":  "first: behind the switch; fuse; charger 16 A",
		"a load nobody rated":   "first: behind the switch; fuse 15 A; load",
		"a fuse behind another": "first: behind the switch; breaker 63 A; fuse 20 A; plug 30 A; load 18 A",
	} {
		if fs := judged(t, opens, text); len(fs) > 0 {
			t.Errorf("%s: %+v", name, fs)
		}
	}
	if fs := judged(t, ways.Bank{}, "main: at the cells; breaker 63 A; load 40 A"); len(fs) > 0 {
		t.Errorf("nothing opens it by itself, and it goes round that: %+v", fs)
	}
}

// The button of card and bench: V/R and V²/R.
func TestAButtonThatIsHeld(t *testing.T) {
	fs := judged(t, ways.Bank{NowVolts: 47.4, FullVolts: 50.4},
		"main: at the bank; breaker 63 A; button 100 ohm 25 W; inverter")
	findingtest.Holds(t, fs, "button-held", finding.Caution, 25.4, 25, "W")
	if !strings.Contains(fs[0].Text, "now 0.47 A and 22.5 W, full 0.50 A and 25.4 W") ||
		!strings.Contains(fs[0].Text, "not known without the load's capacitors") {
		t.Error(fs[0].Text)
	}
}

func TestWhatCannotBeRead(t *testing.T) {
	for _, text := range []string{"a: behind the switch", "thing 5 A", "x: behind nowhere; load 3 A", "a: ; ;",
		"a: behind a; load 3 A", "a: behind b; load 3 A\nb: behind a; load 2 A"} {
		if list, err := ways.Read(text); err == nil || !strings.Contains(err.Error(), "line 1") {
			t.Errorf("%q: %+v, %v", text, list, err)
		}
	}
}

// A name stands for one line: behind which of two would be a guess.
func TestTwoLinesOfOneName(t *testing.T) {
	_, err := ways.Read("out: at the cells; fuse 5 A; load 3 A\nOUT: behind the switch; fuse 15 A; load 9 A")
	if err == nil || !strings.Contains(err.Error(), "line 2") {
		t.Errorf("two of one name: %v", err)
	}
}

// What stands ahead of the line that a way is behind stands ahead of it, however far back: the smallest device by its
// amps; one of unknown amps is there, and no more is said of it.
func TestWhatIsAheadOfTheLineThatItIsBehind(t *testing.T) {
	on := func(first string) []finding.Finding {
		return judged(t, ways.Bank{}, "a: behind the switch; "+first+"; meter\nb: behind a; fuse 40 A; meter\n"+
			"c: behind b; plug 20 A")
	}
	findingtest.Holds(t, on("fuse 30 A"), "way-weak-part", finding.Stop, 20, 30, "A")
	if fs := on("fuse 20 A"); len(fs) > 0 {
		t.Errorf("nothing is weaker than the 20 A ahead: %+v", fs)
	}
	if fs := judged(t, ways.Bank{}, "a: behind the switch; fuse; meter\nb: behind a; load 3 A"); len(fs) > 0 {
		t.Errorf("a fuse of unknown amps stands ahead of b: %+v", fs)
	}
	findingtest.Holds(t, judged(t, ways.Bank{}, "a: behind the switch; meter; fuse 3 A\nb: behind a; load 2 A"),
		"way-unprotected", finding.Stop, math.NaN(), math.NaN(), "")
}

func ExampleJudge() {
	list, _ := ways.Read("outlet: behind the switch; fuse 15 A; charger 16 A")
	for _, f := range ways.Judge(ways.Bank{Opens: true}, list) {
		fmt.Println(f.Level, f.Text)
	}
	// Output: stop outlet, charger 16 A: 16 A flow through fuse 15 A, which bears less.
}

func FuzzRead(f *testing.F) {
	f.Add("outlet 1: behind the switch; fuse 15 A; charger 16 A\nmeter: behind outlet 1; wire AWG 22; meter")
	f.Fuzz(func(t *testing.T, text string) {
		list, err := ways.Read(text)
		if err == nil {
			ways.Judge(ways.Bank{Opens: true, NowVolts: 12, FullVolts: 14, LowVolts: 10}, list)
		}
	})
}
