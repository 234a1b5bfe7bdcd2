package module

import (
	"strings"
	"testing"

	"pandrel/core/base/station"
	"pandrel/shop/desk"
	"pandrel/store"
)

// A module that is not right and stands in a bank at work: the bank comes first, whatever is wrong.
func TestABadModuleInABankAtWork(t *testing.T) {
	for _, m := range []store.Module{{Number: "K-1", Quarantined: true, QuarantineWhy: "swollen."},
		{Number: "K-1", Hold: "was dropped."}, {Number: "K-1", BankDoubt: "its grade rests on what was taken back."}} {
		for at, want := range map[station.Station]bool{station.Keep: true, station.Wire: m.Quarantined} {
			text, level := judgement(desk.Life{Module: m, Bank: &store.Bank{Name: "Hut", Station: at}}, nil)
			if strings.Contains(text, "switch") != want || level != "stop" && level != "refuse" {
				t.Errorf("%+v at %s: %s, %s", m, at, text, level)
			}
		}
	}
}
