package draw

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/numeral"
	"pandrel/core/module/survey"
)

// Rung is a node of a ladder: the points on it and its potential.
type Rung struct {
	Points []string
	Volts  float64
	Hidden bool // a tap that cannot be reached
}

// Block is a group between two rungs. Verdict may be empty; OffsetPct pushes it sideways.
type Block struct {
	Label     string
	Volts     float64
	Verdict   string
	OffsetPct float64
}

// Ladder is potential upwards: len(Rungs) is len(Blocks)+1, the first rung is the lowest.
type Ladder struct {
	Title  string
	Rungs  []Rung
	Blocks []Block
}

// SVG draws the ladder. Blocks are as high as their voltage; a block out of family stands to the
// side of where it should be, which a dashed outline marks.
//
// In one piece: a picture is drawn from back to front.
func (l Ladder) SVG() string {
	const left, blockW, chipsX, top = 140.0, 160.0, 352.0, 22.0
	mean := 0.0
	for _, b := range l.Blocks {
		mean += math.Abs(b.Volts)
	}
	mean = max(mean/float64(max(1, len(l.Blocks))), 0.01)
	unit := 46.0
	if len(l.Blocks) > 8 {
		unit = 36
	}
	if len(l.Blocks) > 16 {
		unit = 27
	}
	heights, read := make([]float64, len(l.Blocks)), l.read()
	total := 0.0
	for i, b := range l.Blocks {
		if heights[i] = min(max(unit*math.Abs(b.Volts)/mean, 22), 2*unit); !read {
			heights[i] = unit
		}
		total += heights[i]
	}
	widest := 0.0
	for _, r := range l.Rungs {
		w := 0.0
		for _, p := range r.Points {
			w += chipWidth(p) + 6
		}
		widest = max(widest, w)
	}
	w, h := chipsX+max(widest, 60)+12, top+total+26
	c := open(w, h, "ladder", l.Title, l.describe()).measured()
	y := top + total
	ys := []float64{y}
	for i := range l.Blocks {
		y -= heights[i]
		ys = append(ys, y)
	}
	for i, b := range l.Blocks {
		x, by, bh := left, ys[i+1]+2, heights[i]-4
		fmt.Fprintf(&c.b, `<g data-group="%d">`+"\n", i+1)
		if shift := min(max(b.OffsetPct*2.5, -36), 36); math.Abs(shift) >= 4 {
			c.rect("dr-ghost", x, by, blockW, bh, 3)
			x += shift
		}
		class := classOf(b.Verdict)
		c.rect(class, x, by, blockW, bh, 3)
		mid := by + bh/2 + 5
		c.text("dr-ink num", x+10, mid, 14, "start", b.Label)
		if read {
			c.text("dr-ink num", x+blockW-34, mid, 14, "end", fmt.Sprintf("%.3f V", b.Volts))
		}
		if b.Verdict != "" {
			c.glyph(b.Verdict, x+blockW-26, by+bh/2-8, 16)
		}
		c.b.WriteString("</g>\n")
	}
	for i, r := range l.Rungs {
		if r.Hidden {
			c.line("dr-dash", left-40, ys[i], chipsX-8, ys[i])
			c.text("dr-soft", chipsX, ys[i]+5, 13, "start", "no tap")
			continue
		}
		c.line("dr-rung", left-40, ys[i], chipsX-4, ys[i])
		if read {
			c.text("dr-ink num", left-46, ys[i]+5, 13, "end", fmt.Sprintf("%.2f V", r.Volts))
		}
		x := chipsX
		for _, p := range r.Points {
			cw := chipWidth(p)
			c.rect("dr-chip", x, ys[i]-10, cw, 20, 10)
			c.text("dr-ink", x+cw/2, ys[i]+5, 13, "middle", p)
			x += cw + 6
		}
	}
	return c.close()
}

func chipWidth(s string) float64 { return max(28, textWidth(s, 13)+16) }

// read reports whether any volts of it are known: a layout that was declared without a chemistry has none, and no zero
// may stand for that.
func (l Ladder) read() bool {
	return slices.ContainsFunc(l.Blocks, func(b Block) bool { return b.Volts != 0 })
}

// describe says in words what the ladder shows, for those who cannot see it.
func (l Ladder) describe() string {
	var b strings.Builder
	fmt.Fprintf(&b, "%s from the main negative upwards", numeral.Count(len(l.Blocks), "group"))
	if !l.read() {
		b.WriteString("; no volts known")
	}
	for _, x := range l.Blocks {
		b.WriteString("; " + x.Label)
		if l.read() {
			fmt.Fprintf(&b, " %.3f V", x.Volts)
		}
		if x.Verdict != "" {
			b.WriteString(" " + x.Verdict)
		}
	}
	return b.String()
}

// StripModule is one module of a family strip.
type StripModule struct {
	Name    string
	Volts   []float64
	Verdict string
}

// farVolts is the distance beyond which a mark stands at the edge of a strip.
const farVolts = 0.15

// NumberedVolts is how far from the median of its module a mark of a strip has its number beside it.
const NumberedVolts = 0.010

// Strip draws every group of many modules as one mark against its own module's median, so that
// the odd one is seen across the room.
func Strip(title string, mods []StripModule) string {
	return strip(title, "strip", mods, medians(mods), stripPlan{w: 720, left: 92, right: 150, words: true}, "")
}

// Strips is a strip for a page: on a narrow screen, where the whole of it scrolls, an overview with those modules that
// stand out stays in sight before it.
func Strips(title string, mods []StripModule) string {
	mids := medians(mods)
	var odd []StripModule
	var at []float64
	for i, m := range mods {
		far := slices.ContainsFunc(m.Volts, func(v float64) bool { return math.Abs(v-mids[i]) > NumberedVolts })
		if far || survey.Verdict(m.Verdict) != survey.OK {
			odd, at = append(odd, m), append(at, mids[i])
		}
	}
	if len(odd) == 0 {
		return Strip(title, mods)
	}
	kind, rest := "strip overview", ""
	switch n := len(mods) - len(odd); n {
	case 0:
		kind += " all"
	case 1:
		rest = "1 other: no group far from its median"
	default:
		rest = fmt.Sprintf("%d others: no group far from its median", n)
	}
	return strip(title+": those that stand out", kind, odd, at, narrow(odd), rest) + Strip(title, mods)
}

// NarrowStrip is a strip that fits beside other things and on a phone: the verdicts are glyphs alone.
func NarrowStrip(title string, mods []StripModule) string {
	return strip(title, "strip", mods, medians(mods), narrow(mods), "")
}

// narrow is the plan of a strip as wide as a phone, with room for the longest name.
func narrow(mods []StripModule) stripPlan {
	longest := 0
	for _, m := range mods {
		longest = max(longest, len(m.Name))
	}
	return stripPlan{w: 320, left: max(62, 14+7*float64(longest)), right: 28}
}

// stripPlan is how wide a strip is and what lies beside its marks; words are the verdicts beside their glyphs.
type stripPlan struct {
	w, left, right float64
	words          bool
}

func medians(mods []StripModule) []float64 {
	out := make([]float64, len(mods))
	for i, m := range mods {
		out[i] = middle(m.Volts)
	}
	return out
}

func strip(title, kind string, mods []StripModule, medians []float64, p stripPlan, rest string) string {
	const rowH = 26.0
	h := 44 + rowH*float64(max(1, len(mods)))
	if rest != "" {
		h += rowH
	}
	span := 0.020 // volts to each side that are always shown
	for i, m := range mods {
		for _, v := range m.Volts {
			if d := math.Abs(v - medians[i]); d <= farVolts { // one misread group must not hide the rest
				span = max(span, d)
			}
		}
	}
	c := open(p.w, h, kind, title, fmt.Sprintf("%s; each mark is a group, left is below its module's median",
		numeral.Count(len(mods), "module")))
	mid, half := p.left+(p.w-p.left-p.right)/2, (p.w-p.left-p.right)/2-8
	c.text("dr-soft num", mid-half, 16, 12, "middle", fmt.Sprintf("−%.0f mV", span*1000))
	c.text("dr-soft", mid, 16, 12, "middle", "median")
	c.text("dr-soft num", mid+half, 16, 12, "middle", fmt.Sprintf("+%.0f mV", span*1000))
	c.line("dr-hair", mid, 22, mid, 34+rowH*float64(max(1, len(mods)))) // to below the last row
	for i, m := range mods {
		y := 34 + rowH*float64(i)
		c.line("dr-hair", mid-half, y, mid+half, y)
		c.text("dr-ink num", p.left-8, y+5, 14, "end", m.Name)
		for g, v := range m.Volts {
			d := v - medians[i]
			x := mid + half*min(max(d/span, -1), 1)
			if math.Abs(d) > NumberedVolts {
				c.circle("dr-caution", x, y, 7)
				c.text("dr-ink num", x, y+4, 11, "middle", fmt.Sprint(g+1))
			} else {
				c.circle("dr-ok", x, y, 4)
			}
		}
		c.glyph(m.Verdict, p.w-p.right+12, y-8, 16)
		if p.words {
			c.text("dr-ink", p.w-p.right+34, y+5, 14, "start", m.Verdict)
		}
	}
	if rest != "" {
		c.text("dr-soft", p.left, h-12, 12, "start", rest)
	}
	return c.close()
}

func middle(v []float64) float64 {
	if len(v) == 0 {
		return 0
	}
	s := append([]float64(nil), v...)
	for i := 1; i < len(s); i++ {
		for k := i; k > 0 && s[k] < s[k-1]; k-- {
			s[k], s[k-1] = s[k-1], s[k]
		}
	}
	if n := len(s); n%2 == 0 {
		return (s[n/2-1] + s[n/2]) / 2
	}
	return s[len(s)/2]
}
