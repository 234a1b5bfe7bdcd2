package kit

import (
	"fmt"
	"strings"

	"pandrel/core/base/numeral"
	"pandrel/core/bench/load"
)

// Lines of devices, as they are typed: 'name: channels, groups, charge A, load A, charge W, load W, words', where the
// words say what it can: isolated, ends (by itself), groups (reads every one), regenerative.
const linesHelp = "a line each: name: channels; groups in series; charge A; load A; charge W; load W; then what it " +
	"can: isolated, ends, groups, regenerative, and how near it counts, such as 0.5%"

// LinesHelp says how a device is typed.
func LinesHelp() string { return linesHelp }

// ParseDevices reads lines of devices. Errors name the line.
func ParseDevices(text string) (out []Device, err error) {
	for i, line := range strings.Split(text, "\n") {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		name, rest, ok := strings.Cut(line, ":")
		if !ok {
			return nil, fmt.Errorf("line %d, %.30q: expected %s", i+1, line, linesHelp)
		}
		d := Device{Name: strings.TrimSpace(name)}
		var nums []float64
		for _, p := range strings.FieldsFunc(rest, func(r rune) bool { return strings.ContainsRune("; \t|", r) }) {
			p = strings.TrimSuffix(p, ",")
			if pct, ok := strings.CutSuffix(strings.TrimPrefix(p, "±"), "%"); ok {
				x, err := numeral.Parse(pct)
				if err != nil || !(x.Value > 0 && x.Value <= 20) {
					return nil, fmt.Errorf("line %d: %.20q: expected how near it counts, above 0 to 20 %%", i+1, p)
				}
				d.AccuracyPct = x.Value
				continue
			}
			if x, err := numeral.Parse(p); err == nil {
				nums = append(nums, x.Value)
				continue
			}
			switch strings.ToLower(p) {
			case "isolated":
				d.Isolated = true
			case "ends":
				d.OwnEndPoint = true
			case "groups":
				d.GroupVolts = true
			case "regenerative":
				d.Regenerative = true
			case "":
			default:
				return nil,
					fmt.Errorf("line %d: %.20q: expected a number, or isolated, ends, groups or regenerative", i+1, p)
			}
		}
		if len(nums) < 4 || len(nums) > 6 || nums[0] != float64(int(nums[0])) || nums[1] != float64(int(nums[1])) {
			return nil, fmt.Errorf("line %d, %.30q: expected %s", i+1, line, linesHelp)
		}
		nums = append(nums, 0, 0)
		d.Channels, d.SeriesMost, d.ChargeAmps, d.LoadAmps, d.Watts, d.LoadWatts = int(nums[0]), int(nums[1]),
			nums[2], nums[3],
			nums[4], nums[5]
		if out = append(out, d); len(out) > 40 {
			return nil, fmt.Errorf("expected at most 40 devices")
		}
	}
	return out, nil
}

// Text writes devices as they are typed.
func Text(devices []Device) string {
	var rows []string
	for _, d := range devices {
		row := fmt.Sprintf("%s: %d; %d; %s; %s; %s; %s", d.Name, d.Channels, d.SeriesMost, numeral.Text(d.ChargeAmps),
			numeral.Text(d.LoadAmps), numeral.Text(d.Watts), numeral.Text(d.LoadWatts))
		for _, w := range []struct {
			on   bool
			word string
		}{{d.Isolated, "isolated"}, {d.OwnEndPoint, "ends"}, {d.GroupVolts, "groups"}, {d.Regenerative,
			"regenerative"}} {
			if w.on {
				row += "; " + w.word
			}
		}
		if d.AccuracyPct > 0 {
			row += "; " + numeral.Text(d.AccuracyPct) + "%"
		}
		rows = append(rows, row)
	}
	return strings.Join(rows, "\n")
}

// ResistorsHelp says how resistors are typed.
const ResistorsHelp = "a line each: name: ohms; watts; pieces"

// ParseResistors reads lines of resistors in stock. Errors name the line.
func ParseResistors(text string) (out []load.Resistor, err error) {
	for i, line := range strings.Split(text, "\n") {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		name, rest, ok := strings.Cut(line, ":")
		parts := strings.FieldsFunc(rest, func(r rune) bool { return strings.ContainsRune("; \t|", r) })
		if !ok || len(parts) != 3 {
			return nil, fmt.Errorf("line %d, %.30q: expected %s", i+1, line, ResistorsHelp)
		}
		var v [3]float64
		for k, p := range parts {
			x, err := numeral.Parse(p)
			if err != nil {
				return nil, fmt.Errorf("line %d: %w", i+1, err)
			}
			v[k] = x.Value
		}
		if v[2] != float64(int(v[2])) {
			return nil, fmt.Errorf("line %d: %g pieces: expected a whole number", i+1, v[2])
		}
		if out = append(out, load.Resistor{Name: strings.TrimSpace(name), Ohms: v[0], Watts: v[1],
			Count: int(v[2])}); len(out) > 40 {
			return nil, fmt.Errorf("expected at most 40 kinds of resistors")
		}
	}
	return out, nil
}

// ResistorText writes resistors as they are typed.
func ResistorText(list []load.Resistor) string {
	var rows []string
	for _, r := range list {
		rows = append(rows, fmt.Sprintf("%s: %s; %s; %d", r.Name, numeral.Text(r.Ohms), numeral.Text(r.Watts), r.Count))
	}
	return strings.Join(rows, "\n")
}
