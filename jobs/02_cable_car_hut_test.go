package jobs_test

import (
	"fmt"
	"testing"
)

// The cable-car hut: ten modules in one string, two monitor boards of unlike size, one contactor; nobody knows the
// chemistry, the amp hours or the appliance.
func TestTheCableCarHut(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Groups in series", "4", "How many", "10", "Or groups in series", "40", "Name of the bank",
		"Cable-car hut", "Taps", "all")
	rows := map[string][]float64{}
	for i := range 10 {
		rows[fmt.Sprintf("M-%03d", i+1)] = near(4, 4.01, 4.03)
	}
	w.surveyed(1, "1440", rows)
	w.open("/modules/M-001")
	w.says("By these volts it could be NMC, LMO blend or NCA", "not LFP or LTO")
	w.open("/bms")
	w.send("Save the BMS", "Name", "two boards", "Groups, from", "16", "to", "24", "What opens", "relay",
		"Boards of unlike size", "24, 16")
	w.open("/banks/1")
	w.send("Match modules and reserve them")
	w.says("Neither its chemistry nor its amp hours are known", "168.0 V", "160.80 V", "a shock can kill")
	w.never("kWh usable", "60 V for a wet place", "assumed")
	w.says("2 boards of it in a row along the string, of 24 + 16 groups", "Nobody has said that it never freezes there")
	w.send("Take the one chosen", "two boards", "two boards")
	w.send("Judge with these", "A disconnect by hand, behind module", "5")
	w.says("inside of a board", "Put it behind module 6, where the boards meet at group 24")
	w.send("Judge with these", "A disconnect by hand, behind module", "6")
	w.says("The disconnect sits where the boards meet, at group 24: two leads there", "must be isolated: not known",
		"M-006.X5, black on lead 0 96.48 V", "M-010.X5, black on lead 0 64.32 V", "Licensed person",
		"168.0 V DC or more")
	w.never("0.0 V DC", "pre-charge for", "usable at")
	w.open("/banks/1/sheet")
	w.says("Charge to waits for the chemistry", "not known")
	w.end("hold for", "kWh usable")
}
