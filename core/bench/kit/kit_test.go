package kit_test

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"pandrel/core/bench/kit"
	"pandrel/core/bench/load"
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
		"A: 1; 8; 20; 0; warm", strings.Repeat("A: 1; 8; 20; 0\n", 50)} {
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

func TestResistorsAndAccuracyAreReadBack(t *testing.T) {
	text := "1 Ω on a plate: 1; 100; 24\nsmall: 0.47; 50; 10"
	list, err := kit.ParseResistors(text)
	if err != nil || len(list) != 2 || list[1].Ohms != 0.47 || kit.ResistorText(list) != text {
		t.Errorf("%v: %+v", err, list)
	}
	for _, bad := range []string{"x", "x: 1; 2", "x: 1; 2; 3; 4", "x: a; 2; 3", "x: 1; 2; 1.5"} {
		if _, err := kit.ParseResistors(bad); err == nil {
			t.Errorf("%q is read", bad)
		}
	}
	d, err := kit.ParseDevices("C: 1; 8; 10; 10; ends; ±0.5%")
	if err != nil || d[0].AccuracyPct != 0.5 {
		t.Fatalf("%v: %+v", err, d)
	}
	if again, err := kit.ParseDevices(kit.Text(d)); err != nil || again[0] != d[0] {
		t.Errorf("%v: %+v", err, again)
	}
	if _, err := kit.ParseDevices("C: 1; 8; 10; 10; 99%"); err == nil {
		t.Error("99 % is an accuracy")
	}
	k := kit.Small()
	k.Resistors = []load.Resistor{{Name: "x", Ohms: 0, Watts: 1, Count: 1}}
	if field, _ := k.Check(); field != "resistors" {
		t.Errorf("a resistor of nothing: %q", field)
	}
}
