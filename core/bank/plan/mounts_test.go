package plan_test

import (
	"strings"
	"testing"

	"pandrel/core/bank/match"
	"pandrel/core/bank/mount"
	"pandrel/core/bank/plan"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// What is bolted is tightened by the maker's figure, at each end that is a module's; cells are pressed before a module
// is put down; and pouches whose force nobody knows keep the bank out of service, once for their type.
func TestHowModulesAreMountedIsInTheSteps(t *testing.T) {
	s := situation(t, match.ParallelFirst)
	plain, err := plan.CheckWiring(s)
	if err != nil {
		t.Fatal(err)
	}
	s.Type.Mount = mount.Mount{Post: mount.Stud, ThreadMM: 8, TorqueNm: 9, Cells: mount.Pouch, PressKN: 2.5}
	w, err := plan.CheckWiring(s)
	if err != nil {
		t.Fatal(err)
	}
	if len(w.Steps) == 0 || len(w.Steps) != len(plain.Steps) {
		t.Fatalf("%d steps: expected those of the bank before, %d", len(w.Steps), len(plain.Steps))
	}
	ends := map[string]int{}
	for _, c := range w.Netlist.Conductors {
		for _, end := range []string{c.From, c.To} {
			id, point, ok := strings.Cut(end, ".")
			if ok && s.Design.At(id) >= 0 && (point == "A-" || point == "A+") {
				ends[c.ID]++
			}
		}
	}
	for _, st := range w.Steps {
		if st.Conductor != "" && strings.Contains(st.Do, "Tighten to 9 Nm at the posts") != (ends[st.Conductor] > 0) {
			t.Errorf("%s: %q, with %d ends at modules", st.Title, st.Do, ends[st.Conductor])
		}
		if st.Module != "" && st.Key == "place "+st.Module && !strings.Contains(st.Do,
			"pressed first, by the maker's data: "+
				"2.5 kN") {
			t.Errorf("%s: %q: expected how its cells are pressed", st.Title, st.Do)
		}
	}
	findingtest.Lacks(t, w.Report.IntoService, "pouches-not-pressed")
	s.Type.Mount.PressKN = 0
	if w, err = plan.CheckWiring(s); err != nil {
		t.Fatal(err)
	}
	findingtest.Holds(t, w.Report.IntoService, "pouches-not-pressed", finding.Stop, findingtest.None,
		findingtest.None, "")
	n := 0
	for _, f := range w.Report.IntoService {
		if f.Code == "pouches-not-pressed" {
			n++
		}
	}
	if n != 1 || len(w.Steps) == 0 {
		t.Errorf("said %d times, %d steps: expected once, and the bank to be built all the same", n, len(w.Steps))
	}
}
