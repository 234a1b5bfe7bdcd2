package variant_test

import (
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
	"pandrel/core/module/variant"
)

// Whoever joins groups of a module onto each other is stopped at that step; whoever parts them is not.
func TestJoiningGroupsIsAStop(t *testing.T) {
	vs, err := variant.Variants(inside(4, 2, variant.Bolted, variant.Bolted))
	if err != nil {
		t.Fatal(err)
	}
	joined := find(t, vs, variant.LinksMoved, 2)
	findingtest.Holds(t, joined.Findings, "joining", finding.Stop, findingtest.None, findingtest.None, "")
	findingtest.Lacks(t, find(t, vs, variant.LinksMoved, 8).Findings, "joining")
}
