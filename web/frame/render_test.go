package frame

import (
	"strings"
	"testing"

	"pandrel/core/base/finding"
)

// A form that cannot be saved comes back with a word, whether or not its page has a place for it.
func TestAFailedFormNeverComesBackWithoutAWord(t *testing.T) {
	const page = `<html><main id="main" tabindex="-1"><p>expected a name &amp; a date</p></main></html>`
	f := &Form{Bads: map[string]string{"name": "expected a name & a date", "when": "there is a bank <Hut> already"},
		Stops: []finding.Finding{{Text: "Group 3 is held.", Do: "Read it again."}}}
	got := withAll(page, f)
	for _, want := range []string{"there is a bank &lt;Hut&gt; already", "Group 3 is held. Read it again.",
		`tabindex="-1"><p class="err invalid-feedback" role="alert">`} {
		if strings.Count(got, want) != 1 {
			t.Errorf("%q stands %d times in %s", want, strings.Count(got, want), got)
		}
	}
	if strings.Count(got, "a name &amp; a date") != 1 {
		t.Errorf("said twice: %s", got)
	}
	if got := withAll("<p>part</p>", f); !strings.HasPrefix(got, `<p class="err`) {
		t.Errorf("a part of a page: %s", got)
	}
	if got := withAll(page, &Form{}); got != page {
		t.Errorf("nothing is wrong: %s", got)
	}
}
