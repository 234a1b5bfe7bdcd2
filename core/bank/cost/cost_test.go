package cost_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/bank/cost"
)

func bank() cost.Bank {
	return cost.Bank{Modules: 8, ModulePrice: 60, PalletPrice: 180, ModulesPerPallet: 14, BMS: 120,
		Parts: []cost.Part{{Price: 45}, {Price: 90, Owned: true}}, Hours: 10, HourRate: 20, RatedKWh: 20, TestedKWh: 16,
		UsableKWh: 12, Cycles: 1000}
}

func TestTheBank(t *testing.T) {
	c, err := cost.Work(bank(), []cost.Other{{Name: "new", PerKWh: 250, UsedShare: 0.9, Cycles: 5000,
		Efficiency: 0.92}})
	if err != nil {
		t.Fatal(err)
	}
	total := 480 + 180 + 120 + 45 + 200.0
	if c.Total != total || c.WithOwned != total+90 || c.PerTested != total/16 || c.DeliveredKWh != 12*1000*0.9 {
		t.Errorf("%+v", c)
	}
	if x := c.Against[0]; math.Abs(x.Price-12/0.9*250) > 1e-9 ||
		math.Abs(x.PerDelivered-x.Price/(12*5000*0.92)) > 1e-12 {
		t.Errorf("%+v", x)
	}
}

// Pallets are whole: two banks of 8 fill two of 14, and share 360; three fill two.
func TestPallets(t *testing.T) {
	c, _ := cost.Work(bank(), nil)
	want := map[int]float64{1: 180, 2: 180, 3: 120, 5: 108, 10: 108}
	for _, x := range c.ForBanks {
		if got := x.Each - (c.Total - c.Freight); math.Abs(got-want[x.N]) > 1e-9 {
			t.Errorf("%d banks: %v of freight each, expected %v", x.N, got, want[x.N])
		}
	}
	for i, x := range c.ForBanks[1:] { // more at once is never dearer than one
		if x.Each > c.ForBanks[0].Each+1e-9 {
			t.Errorf("%d: %v", i, x)
		}
	}
}

func TestUnusable(t *testing.T) {
	for name, change := range map[string]func(*cost.Bank){"no module": func(b *cost.Bank) { b.Modules = 0 },
		"a price below nothing": func(
			b *cost.Bank) {
			b.ModulePrice = -1
		}, "not a number": func(b *cost.Bank) { b.Freight = math.NaN() }} {
		b := bank()
		change(&b)
		if _, err := cost.Work(b, nil); err == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}

func ExampleWork() {
	c, _ := cost.Work(bank(), nil)
	fmt.Printf("%.0f, %.2f a usable kWh, %.3f a delivered one\n", c.Total, c.PerUsable, c.PerDelivered)
	// Output: 1025, 85.42 a usable kWh, 0.095 a delivered one
}

func BenchmarkWork(b *testing.B) {
	for b.Loop() {
		if _, err := cost.Work(bank(), nil); err != nil {
			b.Fatal(err)
		}
	}
}
