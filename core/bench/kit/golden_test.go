package kit_test

import (
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
