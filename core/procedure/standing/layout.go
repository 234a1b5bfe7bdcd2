package standing

import (
	"fmt"

	"pandrel/core/base/limits"
)

// mostBlocks in series are drawn of a string.
const mostBlocks = 60

// Layout is a bank as it stands: strings on the same bars, each of blocks in series. Posts are the potentials of a
// string's joints from its negative end up, none where nobody read a voltage.
type Layout struct {
	Strings, Blocks int
	Groups          []int // of each block from the negative end up, 0 not known
	MayGroups       []int // of each block, where nobody counted them and all are alike
	Posts           []float64
	PartAfter       int  // block behind which a bar or plug parts it, 0 for none
	Shared          bool // the posts between are even shares of the volts from end to end
	Joints          []Joint
}

// Joint is one joint in the order in which they are made, that of taking them apart read backwards.
type Joint struct {
	Name, From, To string
	Measure        string
	Expect         float64 // volts, 0 not known
	WithinMV       float64 // of what is expected, or of each other
	Reach          float64 // volts within reach once it is made, 0 not known
}

// LayoutOf is the layout of a bank that reads total volts end to end, 0 not read, and volts for each group of its one
// string, none where not every group was read.
func LayoutOf(b Bank, c Cells, total float64, volts []float64) Layout {
	l := Layout{Strings: max(1, b.Strings), Blocks: max(1, c.InString)}
	if c.InString == 0 && l.Strings == 1 && b.PartsAfter > 0 && b.PartsAfter < c.Series {
		l.Blocks, l.PartAfter = 2, 1
		l.Groups = []int{b.PartsAfter, c.Series - b.PartsAfter}
	} else {
		l.Groups = make([]int, l.Blocks)
		for i := range l.Groups {
			if c.Series%l.Blocks == 0 {
				l.Groups[i] = c.Series / l.Blocks
			}
		}
	}
	for _, n := range c.May {
		if n%l.Blocks != 0 {
			l.MayGroups = nil
			break
		}
		l.MayGroups = append(l.MayGroups, n/l.Blocks)
	}
	switch {
	case c.Series > 0 && len(volts) == c.Series && l.Groups[0] > 0:
		l.Posts = []float64{0}
		at, sum := 0, 0.0
		for _, n := range l.Groups {
			for range n {
				sum += volts[at]
				at++
			}
			l.Posts = append(l.Posts, sum)
		}
	case total > 0:
		l.Shared = l.Blocks > 1
		for i := range l.Blocks + 1 {
			share := float64(i) / float64(l.Blocks)
			if l.PartAfter > 0 && i == 1 {
				share = float64(l.Groups[0]) / float64(c.Series)
			}
			l.Posts = append(l.Posts, total*share)
		}
	}
	l.Joints = l.joints()
	return l
}

// Label is the name of a block.
func (l Layout) Label(block, str int) string {
	switch {
	case l.Strings == 1 && l.Blocks == 1:
		return "whole"
	case l.Strings == 1:
		return fmt.Sprintf("part %d", block+1)
	case l.Blocks == 1:
		return "string " + letter(str)
	}
	return fmt.Sprintf("%s%d", letter(str), block+1)
}

// Link is the name of the joint behind a block.
func (l Layout) Link(block, str int) string {
	if l.Strings == 1 {
		return fmt.Sprintf("L%d", block+1)
	}
	return fmt.Sprintf("L%s%d", letter(str), block+1)
}

// letter names a string: a to z, then by its number.
func letter(i int) string {
	if i < 26 {
		return string(rune('a' + i))
	}
	return fmt.Sprint(i + 1)
}

// post is the potential of a joint, 0 not known.
func (l Layout) post(i int) float64 {
	if len(l.Posts) == 0 {
		return 0
	}
	return l.Posts[i]
}

// joints lists them in the order in which least stands within reach: each string by itself from its negative end up,
// then string by string onto the bars.
func (l Layout) joints() (out []Joint) {
	total := l.post(l.Blocks)
	for s := range l.Strings {
		for k := range l.Blocks - 1 {
			out = append(out, Joint{Name: l.Link(k, s), From: l.Label(k, s) + " +", To: l.Label(k+1, s) + " −",
				Measure: l.Label(k+1, s) + " end to end", Expect: l.post(k+2) - l.post(k+1), Reach: l.post(k + 2)})
		}
	}
	if l.Strings == 1 {
		return out
	}
	for s := range l.Strings {
		j := Joint{Name: "string " + letter(s), From: "both its ends", To: "the bars",
			Measure: "the string end to end, its breaker open", Expect: total, Reach: total}
		if s > 0 {
			j.Measure = "the string end to end, then the bars, with one meter in one sitting"
			j.WithinMV = 1000 * limits.JoinVolts
		}
		out = append(out, j)
	}
	return out
}
