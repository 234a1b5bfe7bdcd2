package golden

import (
	"fmt"
	"hash/fnv"
	"slices"
	"strings"
	"testing"
)

// beside are what stands in the place of a letter of a text, one after the other.
var beside = []string{"0", "9", "-", ".", ",", ":", "/", " ", "x"}

// mostNamed is how many neighbours of a text are named that are read alike; of more a sum stands for all.
const mostNamed = 3

// Texts holds what each text is read as, and what is read where one letter of it is left out, written twice or another:
// the neighbours that read like the text itself are not listed, the others by what they are read as.
func Texts(t testing.TB, name string, texts []string, read func(string) string) {
	t.Helper()
	var b strings.Builder
	for _, text := range texts {
		own := read(text)
		fmt.Fprintf(&b, "# %q\n%s\n", text, own)
		by := map[string][]string{}
		for _, n := range neighbours(text) {
			if r := read(n); r != own {
				by[r] = append(by[r], n)
			}
		}
		var lines []string
		for r, list := range by {
			h := fnv.New32a()
			for _, n := range list {
				_, _ = h.Write([]byte(n + "\x00"))
			}
			all := fmt.Sprintf("%q", list[:min(len(list), mostNamed)])
			if len(list) > mostNamed {
				all += fmt.Sprintf(" and %d more, %08x", len(list)-mostNamed, h.Sum32())
			}
			lines = append(lines, fmt.Sprintf("  %s: %s", short(strings.ReplaceAll(r, "\n", "; ")), all))
		}
		slices.Sort(lines)
		b.WriteString(strings.Join(lines, "\n") + "\n")
	}
	Same(t, name, b.String())
}

// longestRead is how much of what a neighbour is read as is written out.
const longestRead = 90

// short cuts what is long, and puts a sum for the rest of it.
func short(r string) string {
	if len(r) <= longestRead {
		return r
	}
	h := fnv.New32a()
	_, _ = h.Write([]byte(r))
	return fmt.Sprintf("%s… %08x", strings.ToValidUTF8(r[:longestRead], ""), h.Sum32())
}

// neighbours are the texts that differ from one in a single letter.
func neighbours(text string) (out []string) {
	letters := strings.Split(text, "")
	for i, l := range letters {
		before, after := strings.Join(letters[:i], ""), strings.Join(letters[i+1:], "")
		out = append(out, before+after, before+l+l+after)
		for _, x := range beside {
			if x != l {
				out = append(out, before+x+after)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
