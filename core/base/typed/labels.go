package typed

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
)

var (
	runOf  = regexp.MustCompile(`(?i)([^\s,;]*?)(\d{1,6})\s*(?:to|\.\.|…|–)\s*([^\s,;]*?)(\d{1,6})`)
	parted = func(r rune) bool { return r == ' ' || r == ',' || r == ';' || r == '\n' || r == '\r' || r == '\t' }
)

// Labels reads label numbers as a person lists them: C-001 to C-008, or C-001 C-004 C-009. It fails for a run of two
// kinds of numbers, downwards, or of more than most, and for nothing.
func Labels(text string, most int) ([]string, error) {
	var wrong error
	text = runOf.ReplaceAllStringFunc(text, func(run string) string {
		m := runOf.FindStringSubmatch(run)
		from, _ := strconv.Atoi(m[2])
		to, _ := strconv.Atoi(m[4])
		if m[3] != "" && !strings.EqualFold(m[1], m[3]) || to < from || to-from >= most {
			wrong = fmt.Errorf("%.40q: expected numbers of one kind, the lower first, at most %d", run, most)
			return ""
		}
		var b strings.Builder
		for n := from; n <= to; n++ {
			fmt.Fprintf(&b, "%s%0*d ", m[1], len(m[2]), n)
		}
		return b.String()
	})
	out := strings.FieldsFunc(text, parted)
	if wrong == nil && len(out) == 0 {
		wrong = fmt.Errorf("expected numbers such as C-001 to C-008")
	}
	return out, wrong
}
