package procedure

import (
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/chem"
	"pandrel/core/procedure/standing"
)

// What a string joins may turn out to be another thing after the string was designed.
func TestAStringUnlikeTheBankItJoins(t *testing.T) {
	w := plan.Wiring{Netlist: netlist.Netlist{Modules: []netlist.Module{{Chemistry: chem.LFP}}},
		Report: wiring.Report{Series: 8}}
	for _, c := range []struct {
		name   string
		cells  standing.Cells
		unlike bool
	}{
		{"the same", standing.Cells{Chemistry: chem.LFP, Series: 8}, false},
		{"not known", standing.Cells{}, false},
		{"another chemistry", standing.Cells{Chemistry: chem.NMC, Series: 8}, true},
		{"another count", standing.Cells{Chemistry: chem.LFP, Series: 7}, true},
	} {
		f, unlike := unlikeBeside(w, StandingView{Cells: c.cells})
		if unlike != c.unlike || unlike && (f.Text == "" || f.Do == "") {
			t.Errorf("%s: %v %+v", c.name, unlike, f)
		}
	}
}
