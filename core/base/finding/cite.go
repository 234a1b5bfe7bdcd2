package finding

import "strings"

// Cited is a piece of a rule as a finding names it: Section is the section of docs/rules.md that it points at, such as
// "9", Hazards for the list of hazards, "" for words between.
type Cited struct{ Text, Section string }

// Hazards is the section of the list of hazards.
const Hazards = "hazards"

// Cite takes a rule apart: 'rules §9, §10' is two sections with words around them.
func Cite(rule string) (out []Cited) {
	for rule != "" {
		at, section := len(rule), ""
		if i := strings.Index(rule, Hazards); i >= 0 {
			at, section = i, Hazards
		}
		if i := strings.Index(rule, "§"); i >= 0 && i < at {
			at, section = i, number(rule[i+len("§"):])
		}
		if at > 0 {
			out = append(out, Cited{Text: rule[:at]})
		}
		if rule = rule[at:]; rule == "" {
			break
		}
		n := len(Hazards)
		if section != Hazards {
			n = len("§") + len(number(rule[len("§"):]))
		}
		out = append(out, Cited{rule[:n], section})
		rule = rule[n:]
	}
	return out
}

// number is what stands at the beginning of a text in digits.
func number(s string) string { return s[:len(s)-len(strings.TrimLeft(s, "0123456789"))] }
