package kit_test

import (
	"fmt"
	"slices"
	"testing"

	"pandrel/core/bench/kit"
)

func device(name string, channels int, charge, load float64) kit.Device {
	return kit.Device{Name: name, Channels: channels, SeriesMost: 8, ChargeAmps: charge, LoadAmps: load}
}

// No channel of any device stands on two stations, whatever the bench is.
func TestNothingStandsOnTwoStations(t *testing.T) {
	for _, c := range []struct {
		name    string
		devices []kit.Device
		want    []string
	}{
		{"a cycler", []kit.Device{device("A", 2, 20, 20)}, []string{"A.1 A", "A.2 A"}},
		{"a charger and a cycler", []kit.Device{device("A", 1, 20, 20), device("B", 3, 20, 0)}, []string{"A.1 A"}},
		{"two loads for three chargers", []kit.Device{device("B", 3, 20, 0), device("L", 1, 0, 20),
			device("M", 1, 0, 20)}, []string{"B.1 L", "B.2 M"}},
		{"loads alone", []kit.Device{device("L", 4, 0, 20)}, nil},
		{"nothing", nil, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			var got []string
			used := map[string]int{}
			for _, s := range (kit.Kit{Devices: c.devices}).Stations() {
				got = append(got, fmt.Sprintf("%s.%d %s", s.Charger.Name, s.No, s.Load.Name))
				used[s.Charger.Name]++
				if s.Load.Name != s.Charger.Name {
					used[s.Load.Name]++
				}
			}
			if !slices.Equal(got, c.want) {
				t.Errorf("%v, expected %v", got, c.want)
			}
			for _, d := range c.devices {
				if used[d.Name] > d.Channels {
					t.Errorf("%s is used %d times", d.Name, used[d.Name])
				}
			}
		})
	}
}

func ExampleKit_Stations() {
	for _, s := range kit.Small().Stations() {
		fmt.Printf("%s %d with %s; ", s.Charger.Name, s.No, s.Load.Name)
	}
	fmt.Println(len(kit.Small().Cyclers()), "run by themselves")
	// Output: Cycler A 1 with Cycler A; Cycler A 2 with Cycler A; Charger B 1 with Load C; 2 run by themselves
}
