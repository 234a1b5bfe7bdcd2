package web_test

import (
	"net/http"
	"strings"
	"testing"
)

// What is asked in an address may be nonsense: it is answered by the whole, or refused, and never breaks a page.
func TestNonsenseInAddressesIsRefused(t *testing.T) {
	sv := newSite(t, true)
	for path, want := range map[string]int{
		"/tests/1?from=-5&to=abc": 200, "/tests/1?from=1e308&to=1e309": 200, "/tests/1/samples?from=100&to=50": 200,
		"/tests/1/samples?from=NaN&to=Inf": 200, "/tests/1/part?from=5&to=6": 422, "/tests/99999": 404,
		"/modules/K-019/condition?stored=-3": 422, "/modules/K-019/condition?stored=abc": 422,
		"/modules/K-019/condition?low_v=9&cycles=99": 422, "/modules/K-019/test?plan_from=abc&plan_to=-1": 200,
		"/types/1/curves?module=zzz": 200, "/types/999/curves": 404, "/tests/999": 404, "/lots/999/set": 404,
		"/modules/K-999/datasheet": 404, "/modules/K-999/condition": 404,
	} {
		if code, _ := sv.get(path); code != want {
			t.Errorf("%s: %d, expected %d", path, code, want)
		}
	}
}

// The plan of a part shows its clamps on the face: what is positive for the lower half is negative for the upper one.
func TestClampsOfAPartAreOnTheFace(t *testing.T) {
	sv := newSite(t, true)
	marks := func(path string) (plus, minus string) {
		code, body := sv.get(path)
		if code != http.StatusOK || !strings.Contains(body, "Clamps on groups") {
			t.Fatalf("%s: %d, no clamps", path, code)
		}
		_, after, _ := strings.Cut(body, "Clamps on groups")
		plan, _, _ := strings.Cut(after, "</svg>")
		for _, g := range strings.Split(plan, "<g")[1:] {
			name := ""
			if _, rest, ok := strings.Cut(g, `data-point="`); ok {
				name, _, _ = strings.Cut(rest, `"`)
			}
			if strings.Contains(g, ">+<") {
				plus += name + " "
			}
			if strings.Contains(g, ">−<") {
				minus += name + " "
			}
		}
		return plus, minus
	}
	lowPlus, lowMinus := marks("/modules/K-019/test?plan_from=1&plan_to=2")
	highPlus, highMinus := marks("/modules/K-019/test?plan_from=3&plan_to=4")
	if lowPlus == "" || lowPlus != highMinus || lowMinus == highMinus || highPlus == lowPlus {
		t.Errorf("lower half + %q − %q, upper half + %q − %q", lowPlus, lowMinus, highPlus, highMinus)
	}
	if _, body := sv.get("/modules/K-019/test?plan_from=3&plan_to=9"); !strings.Contains(body,
		"expected a part of the 4 groups") {
		t.Error("groups that are not there are planned")
	}
}
