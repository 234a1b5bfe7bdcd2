package finding_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/finding"
)

func lacks(subject, what string) finding.Finding {
	return finding.New(finding.Stop, "lack").About(subject).Says("%s has no %s.", subject, what).Then("Find it.")
}

func ExampleAlike() {
	for _, f := range finding.Alike([]finding.Finding{lacks("K-1", "survey"), lacks("K-2", "look"),
		lacks("K-3", "survey")}) {
		fmt.Println(f.Subject, "|", f.Text)
	}
	// Output:
	// K-1, K-3 | Each of these 2 has no survey.
	// K-2 | K-2 has no look.
}

// Whatever is put together, no subject and no thing to do goes missing, and nothing becomes milder.
func TestNothingIsLostByPuttingAlikeTogether(t *testing.T) {
	read := func(subject string, v float64) finding.Finding {
		return lacks(subject, "charge").Reads(v, "V").Against(3)
	}
	whole := finding.New(finding.Refuse, "lack").About("bank").Says("Nothing is known of it.").Then("Ask.")
	for _, k := range []struct {
		name string
		in   []finding.Finding
		want int
	}{
		{"none", nil, 0},
		{"the same thing of three", []finding.Finding{lacks("K-1", "look"), lacks("K-2", "look"),
			lacks("K-3", "look")}, 1},
		{"different things", []finding.Finding{lacks("K-1", "look"), lacks("K-2", "survey")}, 2},
		{"different readings", []finding.Finding{read("K-1", 2.9), read("K-2", 2.8)}, 2},
		{"the same reading", []finding.Finding{read("K-1", 2.9), read("K-2", 2.9)}, 1},
		{"one with and one without a reading", []finding.Finding{read("K-1", 2.9), lacks("K-2", "charge")}, 2},
		{"a sentence that does not begin with its subject", []finding.Finding{whole, whole}, 2},
		{"another thing to do", []finding.Finding{lacks("K-1", "look"), lacks("K-2", "look").Then("Buy it.")}, 2},
		{"a worse one", []finding.Finding{lacks("K-1", "look"),
			finding.New(finding.Refuse, "lack").About("K-2").Says("K-2 has no look.").Then("Find it.")}, 2},
	} {
		t.Run(k.name, func(t *testing.T) {
			before := slices.Clone(k.in)
			out := finding.Alike(k.in)
			if len(out) != k.want {
				t.Errorf("%d judgements, expected %d: %v", len(out), k.want, out)
			}
			if finding.Worst(out) != finding.Worst(k.in) {
				t.Errorf("worst became %s", finding.Worst(out))
			}
			for _, f := range before {
				if !slices.ContainsFunc(out, func(o finding.Finding) bool {
					return slices.Contains(strings.Split(o.Subject, ", "), f.Subject) && o.Level == f.Level &&
						o.Do == f.Do && strings.HasSuffix(o.Text, strings.TrimPrefix(f.Text, f.Subject+" "))
				}) {
					t.Errorf("%s: '%s' is gone", f.Subject, f.Text)
				}
			}
			if !slices.EqualFunc(before, k.in, func(a, b finding.Finding) bool { return a.Text == b.Text }) {
				t.Error("what was given was changed")
			}
		})
	}
}
