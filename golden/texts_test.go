package golden

import (
	"slices"
	"testing"
)

// Each letter is left out, doubled and replaced once, and no neighbour comes twice.
func TestNeighboursDifferInOneLetter(t *testing.T) {
	got := neighbours("aä")
	for _, want := range []string{"a", "ä", "aaä", "aää", "0ä", "xä", "a-", "a "} {
		if !slices.Contains(got, want) {
			t.Errorf("%q is no neighbour", want)
		}
	}
	if want := 2 + 2 + 2*len(beside); len(got) != want {
		t.Errorf("%d neighbours: expected %d", len(got), want)
	}
}
