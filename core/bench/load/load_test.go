package load_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/bench/load"
)

var stock = []load.Resistor{{Name: "1 Ω", Ohms: 1, Watts: 100, Count: 12}, {Name: "half", Ohms: 0.5, Watts: 50,
	Count: 8}}

// The watts of all are those of the network; nothing that is found is too hot, or takes more than there is.
func TestFind(t *testing.T) {
	for amps := 1.0; amps < 30; amps += 1.7 {
		list, err := load.Find(stock, load.Wanted{Amps: amps, StartVolts: 14, EndVolts: 10}, 8)
		if err != nil {
			t.Fatal(err)
		}
		for i, n := range list {
			all := n.EachWatts * float64(n.Series*n.Parallel)
			if math.Abs(all-14*n.StartAmps) > 1e-9 || n.EachWatts > n.MayWatts || n.EndAmps >= n.StartAmps {
				t.Errorf("%v A: %+v", amps, n)
			}
			most := map[string]int{"1 Ω": 12, "half": 8}[n.Resistor]
			if n.Series*n.Parallel > most {
				t.Errorf("%d of %d resistors", n.Series*n.Parallel, most)
			}
			if i == 0 && n.Off > 0.02 {
				for _, o := range list {
					if o.Off <= 0.02 {
						t.Errorf("%v A: one above stands before one below", amps)
					}
				}
			}
		}
	}
	if list, _ := load.Find([]load.Resistor{{Ohms: 1, Watts: 1, Count: 2}}, load.Wanted{Amps: 14, StartVolts: 14},
		8); len(list) != 0 {
		t.Errorf("two resistors of a watt bear %+v", list)
	}
}

func TestAHeap(t *testing.T) {
	n, fs, err := load.At(stock[0], 1, 1, load.Wanted{StartVolts: 14, EndVolts: 10, WireAmps: 10, ClampAmps: 5})
	if err != nil || n.StartAmps != 14 || !n.TooHot || len(fs) != 3 {
		t.Errorf("%+v %+v %v", n, fs, err)
	}
	if _, _, err := load.At(stock[0], 0, 1, load.Wanted{StartVolts: 14}); err == nil {
		t.Error("none in series")
	}
}

func ExampleAt() {
	n, _, _ := load.At(stock[0], 4, 3, load.Wanted{StartVolts: 14, EndVolts: 10})
	fmt.Printf("%.2f Ω, %.1f A, %.2f W each\n", n.Ohms, n.StartAmps, n.EachWatts)
	// Output: 1.33 Ω, 10.5 A, 12.25 W each
}

func BenchmarkFind(b *testing.B) {
	for b.Loop() {
		if _, err := load.Find(stock, load.Wanted{Amps: 10, StartVolts: 14}, 6); err != nil {
			b.Fatal(err)
		}
	}
}
