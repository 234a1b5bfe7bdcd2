package window

import "pandrel/core/base/known"

// Possible is what a stock could become for one system: so many banks of one string each, alike.
type Possible struct {
	Class    int
	Type     string
	Series   int // groups
	Modules  int // in one bank
	Banks    int
	KWh      known.Value // usable, of one bank
	Untested bool
}

// Could says what each stock could become for a system now, best use of its window first by type: banks of one string
// each. A type that makes no count that fits is left out. It fails for a class that is not known.
func Could(class int, stocks []Stock) ([]Possible, error) {
	var out []Possible
	for _, st := range stocks {
		if len(st.Modules) == 0 {
			continue
		}
		need := Need{Class: class}
		cs, err := Candidates(need, []Stock{st})
		if err != nil {
			return nil, err
		}
		var best *Candidate
		for i, c := range cs {
			if !c.Refused && (best == nil || c.UsableShare > best.UsableShare+0.02) {
				best = &cs[i]
			}
		}
		if best == nil {
			continue
		}
		out = append(out, Possible{Class: class, Type: st.Type, Series: best.Series, Modules: best.ModulesInString,
			Banks: len(st.Modules) / best.ModulesInString, KWh: best.Usable().Times(1 / float64(best.Parallel)),
			Untested: st.Untested})
	}
	return out, nil
}
