package finding

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// New begins a finding, to be completed in the order in which it is read:
//
//	finding.New(finding.Stop, codeLow).About("group 3").Reads(1.5, "V").Against(2).
//		Says("Group 3 is at %.2f V, below %.2f V.", 1.5, 2.0).
//		Then("Read it again at rest.")
func New(level Level, code string) Finding { return Finding{Level: level, Code: code} }

// About names what is judged.
func (f Finding) About(subject string) Finding {
	f.Subject = subject
	return f
}

// Reads is what was measured, or worked out of what was: From says where else it comes from.
func (f Finding) Reads(v float64, unit string) Finding {
	f.Measured, f.Unit = &v, unit
	return f
}

// ReadsIf is Reads where v is known; the unit stands for the limit alone where it is not.
func (f Finding) ReadsIf(v *float64, unit string) Finding {
	f.Measured, f.Unit = v, unit
	return f
}

// From says where what it reads comes from: Measured where it is the reading itself, Typed, Said or Assumed where it
// rests on that. Without it the numbers of a finding are worked out of what is on record.
func (f Finding) From(s known.Source) Finding {
	f.Rests = s
	return f
}

// Resting says that every number of the finding but the limits rests on no more than s: on somebody's word, or on
// what is
// assumed because nobody measured it. It holds for what was said before, too.
func (f Finding) Resting(s known.Source) Finding {
	weaker := func(parts []Part) []Part {
		parts = slices.Clone(parts)
		for i, p := range parts {
			if n := p.Number; n.Is() && n.From() != known.Limit && n.From() > s {
				parts[i].Number = known.Within(n.V(), n.Low(), n.High(), s)
			}
		}
		return parts
	}
	f.said, f.done = weaker(f.said), weaker(f.done)
	if f.Rests == known.Unknown || f.Rests > s {
		f.Rests = s
	}
	return f
}

// Against is the limit that it is judged by, in the same unit.
func (f Finding) Against(limit float64) Finding {
	f.Limit = &limit
	return f
}

// AgainstIf is Against where there is a limit.
func (f Finding) AgainstIf(limit *float64) Finding {
	f.Limit = limit
	return f
}

// By names the sections of docs/rules.md that say so.
func (f Finding) By(rule string) Finding {
	f.Rule = rule
	return f
}

// Says is the sentence that a person reads. Its numbers stay numbers for who draws it: see Parts.
func (f Finding) Says(format string, args ...any) Finding {
	f.Text = fmt.Sprintf(format, args...)
	f.said = f.pieces(format, args)
	return f
}

// Then is what to do next.
func (f Finding) Then(format string, args ...any) Finding {
	f.Do = fmt.Sprintf(format, args...)
	f.done = f.pieces(format, args)
	return f
}

// Or fills in what a finding does not say itself: the subject and the rule that a judgement is about as a whole.
func (f Finding) Or(subject, rule string) Finding {
	if f.Subject == "" {
		f.Subject = subject
	}
	if f.Rule == "" {
		f.Rule = rule
	}
	return f
}

// ReadRounded rounds what was read by round, and leaves the limit as it was given.
func (f Finding) ReadRounded(round func(float64) float64) Finding {
	if f.Measured != nil {
		f.Measured = Of(round(*f.Measured))
	}
	return f
}

// Rounded rounds what was read and the limit by round: a number in a list has no more digits than anybody reads.
func (f Finding) Rounded(round func(float64) float64) Finding {
	if f = f.ReadRounded(round); f.Limit != nil {
		f.Limit = Of(round(*f.Limit))
	}
	return f
}

// Part is a piece of a sentence: words, or a number as it stands there, of which Number says more.
type Part struct {
	Text   string
	Number known.Value
}

// Reading is what was read with where it comes from, not known where nothing was.
func (f Finding) Reading() known.Value {
	if f.Measured == nil {
		return known.Value{}
	}
	return f.number(*f.Measured)
}

// Bound is the limit as a number.
func (f Finding) Bound() known.Value {
	if f.Limit == nil {
		return known.Value{}
	}
	return known.Of(*f.Limit, known.Limit)
}

// Parts is the sentence in pieces, and what to do in pieces. A finding that was read from a record, or whose text was
// changed since, is parted at the numbers that stand in its text.
func (f Finding) Parts() (says, do []Part) {
	return f.inPieces(f.said, f.Text), f.inPieces(f.done, f.Do)
}

func (f Finding) inPieces(parts []Part, text string) []Part {
	rest, whole := text, true
	for _, p := range parts {
		if rest, whole = strings.CutPrefix(rest, p.Text); !whole {
			break
		}
	}
	switch {
	case whole && rest == "":
		return parts
	}
	return Split(f.number, text)
}

// number says of a number of the finding where it comes from. The limit is one; the reading is what From says; all
// others are worked out, and rest on no more than the reading does.
func (f Finding) number(v float64) known.Value {
	reading := f.Measured != nil && v == *f.Measured
	switch {
	case f.Limit != nil && v == *f.Limit && !reading:
		return known.Of(v, known.Limit)
	case f.Rests == known.Unknown:
		return known.Of(v, known.Measured).Times(1)
	case reading || f.Rests < known.Typed:
		return known.Of(v, f.Rests)
	}
	return known.Of(v, f.Rests).Times(1)
}

// pieces takes a sentence of the finding apart.
func (f Finding) pieces(format string, args []any) []Part { return Pieces(f.number, format, args...) }

// Split takes a text apart at the numbers of the trade that stand in it, of which number says where they come from.
func Split(number func(float64) known.Value, text string) (out []Part) {
	for _, p := range figure.Split(text) {
		x := Part{Text: p.Text}
		if p.Number {
			x.Number = number(p.Value)
		}
		out = append(out, x)
	}
	return out
}

// Pieces takes a sentence apart at its numbers: what is formatted from a known figure, from a float, or from a text
// that
// shows a number, and what stands in its words. Of all but the first number says where they come from.
func Pieces(number func(float64) known.Value, format string, args ...any) (out []Part) {
	for _, p := range pieces(number, format, args) {
		if p.Number.Is() {
			out = append(out, p)
			continue
		}
		out = append(out, Split(number, p.Text)...)
	}
	return out
}

func pieces(number func(float64) known.Value, format string, args []any) (out []Part) {
	words := func(s string) {
		switch k := len(out) - 1; {
		case s == "":
		case k >= 0 && !out[k].Number.Is():
			out[k].Text += s
		default:
			out = append(out, Part{Text: s})
		}
	}
	for format != "" {
		at := strings.IndexByte(format, '%')
		if at < 0 || at == len(format)-1 {
			words(format)
			break
		}
		words(format[:at])
		end := at + 1
		for end < len(format) && strings.IndexByte("+-# 0123456789.", format[end]) >= 0 {
			end++
		}
		if end == len(format) {
			words(format[at:])
			break
		}
		verb := format[at : end+1]
		format = format[end+1:]
		if verb == "%%" {
			words("%")
			continue
		}
		if len(args) == 0 { // as fmt says it
			words("%!" + verb[1:] + "(MISSING)")
			continue
		}
		arg := args[0]
		args = args[1:]
		text := fmt.Sprintf(verb, arg)
		n := known.Value{}
		switch v := arg.(type) {
		case known.Figure:
			n = v.Value
		case float64:
			n = number(v)
		case interface{ Shown() (float64, bool) }:
			if x, ok := v.Shown(); ok {
				n = number(x)
			}
		}
		if n.Is() {
			out = append(out, Part{text, n})
		} else {
			words(text)
		}
	}
	return out
}
