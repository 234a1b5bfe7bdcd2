package kit_test

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"pandrel/core/bench/kit"
)

// What is written is read back as it was.
func TestLinesComeBack(t *testing.T) {
	for _, devices := range [][]kit.Device{kit.Small().Devices, nil} {
		got, err := kit.ParseDevices(kit.Text(devices))
		if err != nil || !reflect.DeepEqual(got, devices) {
			t.Errorf("%+v, %v", got, err)
		}
	}
	for _, bad := range []string{"a charger", "A: 1", "A: x 1 2 3", "A: 1; 1; 2; 3; 4; 5; 6", "A: 1,5; 8; 20; 0",
		"A: 1; 8; 20; 0; warm",
		strings.Repeat("A: 1; 8; 20; 0\n", 50)} {
		if _, err := kit.ParseDevices(bad); err == nil {
			t.Errorf("%.30q: accepted", bad)
		}
	}
}

func FuzzParseDevices(f *testing.F) {
	f.Add(kit.Text(kit.Small().Devices))
	f.Add("A: 1; 8; 2,5; 0 ends")
	f.Fuzz(func(t *testing.T, text string) {
		d, err := kit.ParseDevices(text)
		if err == nil {
			_, _ = kit.Kit{Devices: d, WorkTo: 24}.Check()
		}
	})
}

func ExampleParseDevices() {
	d, _ := kit.ParseDevices("Cycler A: 2; 8; 20; 20; 400; 400; isolated ends groups")
	fmt.Println(d[0].Channels, d[0].ChargeAmps, d[0].GroupVolts)
	// Output: 2 20 true
}
