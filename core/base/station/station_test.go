package station_test

import (
	"slices"
	"testing"

	"pandrel/core/base/station"
)

// The path has each station once, in its order, and each is called by a name of its own.
func TestThePath(t *testing.T) {
	want := []string{"Receive", "Inspect", "Map", "Survey", "Test", "Grade", "Design", "Wire", "Keep"}
	var got []string
	for _, s := range station.Path {
		if !s.Known() {
			t.Errorf("%s is not known", s)
		}
		got = append(got, s.Name())
	}
	if !slices.Equal(got, want) {
		t.Errorf("%v, expected %v", got, want)
	}
	if station.Out.Name() != "Off the path" || !station.Out.Known() || slices.Contains(station.Path, station.Out) {
		t.Errorf("%q", station.Out.Name())
	}
	if x := station.Station("shed"); x.Known() || x.Name() != "" {
		t.Errorf("%q is taken for a station", x)
	}
}
