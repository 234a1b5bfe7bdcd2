package look_test

import (
	"fmt"
	"math"
	"slices"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/look"
)

func TestOutcomes(t *testing.T) {
	for _, c := range []struct {
		name string
		seen look.Seen
		want look.Outcome
	}{
		{"nothing", look.Seen{}, look.GoOn},
		{"dust", look.Seen{Words: []string{"paste"}}, look.Clean},
		{"dust wiped off", look.Seen{Words: []string{"paste"}, Mended: true}, look.GoOn},
		{"swollen, and somebody says mended", look.Seen{Words: []string{"swollen"}, Mended: true}, look.Quarantine},
		{"every hazard", look.Seen{Words: []string{"wet"}}, look.Quarantine},
		{"punctured", look.Seen{Words: []string{"punctured"}}, look.Quarantine},
		{"hot", look.Seen{Words: []string{"hot"}}, look.Quarantine},
		{"smelling", look.Seen{Words: []string{"smell"}}, look.Quarantine},
		{"water marks", look.Seen{Words: []string{"watermark"}}, look.Quarantine},
		{"burnt beats swollen", look.Seen{Words: []string{"swollen", "burnt"}}, look.Scrap},
		{"nominal thickness", look.Seen{ThicknessMM: 151, NominalMM: 150}, look.GoOn},
		{"grown a little", look.Seen{ThicknessMM: 154, NominalMM: 150}, look.Clean},
		{"grown by six per cent", look.Seen{ThicknessMM: 159, NominalMM: 150}, look.Quarantine},
		{"grown, and somebody says mended", look.Seen{ThicknessMM: 159, NominalMM: 150, Mended: true}, look.Quarantine},
		{"another type", look.Seen{ThicknessMM: 120, NominalMM: 150}, look.Clean},
		{"a thin pouch within the caliper", look.Seen{ThicknessMM: 8.4, NominalMM: 8}, look.GoOn},
		{"no nominal", look.Seen{ThicknessMM: 159}, look.GoOn},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, fs, err := look.JudgeSigns(c.seen)
			if err != nil || got != c.want {
				t.Errorf("%s: %s, %v", c.name, got, err)
			}
			for _, f := range fs {
				if f.Text == "" || f.Do == "" || f.Rule == "" {
					t.Errorf("%s: %+v", c.name, f)
				}
			}
		})
	}
}

// More seen never makes a module better.
func TestWorseNeverMilder(t *testing.T) {
	var words []string
	for _, l := range look.Looks() {
		for _, s := range l.Signs {
			words = append(words, s.Word)
		}
	}
	for _, a := range words {
		one, _, _ := look.JudgeSigns(look.Seen{Words: []string{a}})
		for _, b := range words {
			two, fs, err := look.JudgeSigns(look.Seen{Words: []string{a, b}})
			if err != nil || look.Worse(one, two) != two {
				t.Errorf("%s is %s, with %s it is %s", a, one, b, two)
			}
			if fs[0].Level < fs[1].Level {
				t.Errorf("%s, %s: the hardest finding is not first", a, b)
			}
		}
	}
}

func TestWhatCannotBeUsed(t *testing.T) {
	for _, s := range []look.Seen{{Words: []string{"ugly"}}, {ThicknessMM: -1}, {ThicknessMM: math.NaN()},
		{ThicknessMM: 1e5}} {
		if _, _, err := look.JudgeSigns(s); err == nil {
			t.Errorf("%+v was judged", s)
		}
	}
}

func TestEverySignOnce(t *testing.T) {
	seen := map[string]bool{}
	for _, l := range look.Looks() {
		hard := slices.ContainsFunc(l.Signs,
			func(s look.Sign) bool { return look.Worse(s.Outcome, look.Quarantine) == s.Outcome })
		if hard && !l.Always {
			t.Errorf("%s can send a module away, and a type may leave it out", l.Key)
		}
		for _, s := range l.Signs {
			if seen[s.Word] || s.Do == "" {
				t.Errorf("%s", s.Word)
			}
			seen[s.Word] = true
		}
	}
}

func ExampleJudgeSigns() {
	outcome, fs, _ := look.JudgeSigns(look.Seen{ThicknessMM: 159, NominalMM: 150})
	fmt.Println(outcome, fs[0].Level == finding.Refuse)
	fmt.Println(fs[0].Text)
	// Output:
	// quarantine true
	// 159.0 mm thick, nominal 150.0 mm: +9.0 mm, +6.0 %. Swollen.
}
