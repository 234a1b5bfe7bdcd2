package plan

import (
	"fmt"
	"slices"
	"testing"

	"pandrel/core/bank/build"
	"pandrel/core/bank/netlist"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// A module that hides posts comes after the joints at them, and its own joints after it; nothing is lost, and each step
// keeps a number of its own.
func TestWhatCoversComesAfterWhatItCovers(t *testing.T) {
	n := netlist.Netlist{Conductors: []netlist.Conductor{{ID: "L1", From: "A.P", To: "B.N"}, {ID: "L2", From: "B.P",
		To: "C.N"}, {ID: "L3", From: "C.P", To: "D.N"}}}
	steps := []build.Step{{Key: "prepare"}, {Key: "place A", Module: "A"}, {Key: "place B", Module: "B"},
		{Key: "place C", Module: "C"}, {Key: "place D", Module: "D"}, {Key: "fit L3", Conductor: "L3"},
		{Key: "fit L1", Conductor: "L1"}, {Key: "fit L2", Conductor: "L2"}, {Key: "plug B1"}}
	for i := range steps {
		steps[i].Number = i + 1
	}
	got, buried := physical(steps, map[string][]string{"C": {"L1"}}, n)
	if len(buried) > 0 {
		t.Errorf("%v buried: expected none", buried)
	}
	at := func(key string) int { return slices.IndexFunc(got, func(s build.Step) bool { return s.Key == key }) }
	for _, pair := range [][2]string{{"fit L1", "place C"}, {"place C", "fit L2"}, {"place C", "fit L3"},
		{"place A", "fit L1"}, {"prepare", "place A"}, {"fit L3", "plug B1"}} {
		if at(pair[0]) < 0 || at(pair[0]) >= at(pair[1]) {
			t.Errorf("%s comes after %s: %v", pair[0], pair[1], fmt.Sprint(got))
		}
	}
	if len(got) != len(steps) {
		t.Fatalf("%d steps of %d", len(got), len(steps))
	}
	for i, s := range got {
		if s.Number != i+1 {
			t.Errorf("%s has number %d: expected %d", s.Key, s.Number, i+1)
		}
	}
}

// A joint that waits until the sense leads are on cannot lie under a module that carries some of them.
func TestWhatWaitsIsNeverCovered(t *testing.T) {
	steps := []build.Step{{Key: "place A", Module: "A"}, {Key: "place B", Module: "B"}, {Key: build.Negative + "B1"},
		{Key: "fit L1", Conductor: "L1"}}
	for i := range steps {
		steps[i].Number = i + 1
	}
	got, buried := physical(steps, map[string][]string{"B": {"L1"}}, netlist.Netlist{})
	if len(buried) != 1 || buried[0] != "B" || got[1].Key != "place B" {
		t.Fatalf("%v, buried %v: expected the order as it was, and B named", got, buried)
	}
	w := Wiring{Covers: map[string][]string{"B": {"L1"}}}
	w.buries(buried)
	findingtest.Holds(t, w.Report.Findings, "covers-what-waits", finding.Stop, 1, 0, "joints")
	if len(w.Covers) > 0 {
		t.Error("what is said to be wrong still holds up its own step")
	}
}
