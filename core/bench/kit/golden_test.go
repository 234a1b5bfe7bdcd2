package kit_test

import (
	"fmt"
	"strings"
	"testing"

	"pandrel/core/bench/kit"
	"pandrel/core/bench/load"
	"pandrel/golden"
)

type word string

// withHeap is a small kit with resistors.
func withHeap() kit.Kit {
	k := kit.Small()
	k.Resistors = []load.Resistor{{Name: "heater", Ohms: 2, Watts: 300, Count: 4}}
	return k
}

func TestWhereKitsChange(t *testing.T) {
	golden.Judged(t, "kit", []golden.Case[kit.Kit]{{Name: "small", In: withHeap(), Words: true, Longest: 450}},
		func(k kit.Kit) (any, error) {
			field, text := k.Check()
			for _, d := range k.Devices {
				if d.Channels > 50 {
					return []any{word(field), text}, nil
				}
			}
			var beside []kit.Device
			for _, d := range k.Devices {
				a, b := k.Beside(d)
				beside = append(beside, a, b)
			}
			return []any{word(field), text, k.Stations(), k.Cyclers(), beside, kit.Text(k.Devices)}, nil
		})
	out := map[string]any{}
	lines := strings.Split(kit.Text(kit.Small().Devices), "\n")
	for _, text := range append(lines, kit.Text(kit.Small().Devices), "", "x", "A: 2 channels",
		"A: 1 channels 16s 20 A 20 A 400 W",
		"A: -1 channels 16s 20 A 20 A 400 W", lines[0]+"\n"+lines[0]) {
		d, err := kit.ParseDevices(text)
		out["devices "+text] = []any{d, err}
	}
	for _, text := range []string{"heater: 2 Ω 300 W x4", "2 300", "a: 2 Ohm 300 W\nb: 0.5 Ω 50 W x 10", "x",
		"a: -2 Ω 3 W", "a: 2 Ω"} {
		r, err := kit.ParseResistors(text)
		out["resistors "+text] = []any{r, err, kit.ResistorText(r)}
	}
	golden.Same(t, "lines", golden.Text(out))
}

// A line of a kit with one letter wrong, and as many lines as are taken.
func TestWhatALineOfAKitSays(t *testing.T) {
	devices := func(text string) string {
		d, err := kit.ParseDevices(text)
		return fmt.Sprintf("%+v %v", d, err)
	}
	golden.Texts(t, "device-slips", []string{"A: 2; 16; 20; 30; 400; 600; isolated; ends; groups; 0.5%",
		"A: 1; 8; 10; 10", "B: 1; 8; 10; 10; 5; 5; 5"}, devices)
	golden.Texts(t, "resistor-slips", []string{"heater: 2; 300; 4", "a: 0,5; 50; 10"}, func(text string) string {
		r, err := kit.ParseResistors(text)
		return fmt.Sprintf("%+v %v", r, err)
	})
	for _, c := range []struct {
		name, line string
		lines      int
		taken      bool
	}{{"devices", "A: 1; 8; 10; 10", 40, true}, {"devices", "A: 1; 8; 10; 10", 41, false},
		{"resistors", "a: 2; 50; 1", 40, true}, {"resistors", "a: 2; 50; 1", 41, false}} {
		text := strings.Repeat(c.line+"\n", c.lines)
		_, err := kit.ParseDevices(text)
		if c.name == "resistors" {
			_, err = kit.ParseResistors(text)
		}
		if (err == nil) != c.taken {
			t.Errorf("%d %s: %v", c.lines, c.name, err)
		}
	}
	for _, share := range []struct {
		text  string
		taken bool
	}{{"20%", true}, {"20.1%", false}, {"0.1%", true}, {"0%", false}, {"±2%", true}} {
		if _, err := kit.ParseDevices("A: 1; 8; 10; 10; " + share.text); (err == nil) != share.taken {
			t.Errorf("%s: %v", share.text, err)
		}
	}
}
