package jobs_test

import "testing"

// The cable drum: 84 groups, opened and put together again the same day, two of them never read.
func TestTheCableDrum(t *testing.T) {
	w := newWalk(t)
	w.open("/banks/standing")
	w.send("Judge it", "Name of the bank", "The cable drum", "Groups in series", "84", "End to end", "330.1",
		"Rested", "1440", "Chemistry", "nmc", "Made of", "seven modules", "Service plug that parts it", "yes",
		"Groups that were read", "82", "At most apart", "5")
	w.says("352.8 V at full charge", "70 to 76 % full", "82 of 84 groups were read, 5 mV apart at most",
		"2 of its 84 groups were not read", "seven modules", "No BMS is known of this bank")
	w.never("gives about", "Highest, group")
	w.down(330.1, "service plug")
	// Back together: the plug is the last joint of all, and without a BMS that opens it does not go back into work.
	w.says("Service plug in", "Last of all joints")
	w.says("Until then it may be read and taken out of work, not charged and not put back")
	w.try("Record", "It is so", "yes")
	w.says("No BMS is known of this bank that opens the circuit by itself")
	w.end()
}

// down takes a standing bank above the limit of touch out of work, step by step.
func (w *walk) down(volts float64, plug string) {
	w.t.Helper()
	names := map[string]string{"Licensed person": "R. Example", "Second person": "S. Example"}
	for _, step := range []string{"Owner agrees", "Licensed person", "Second person", "Protective equipment",
		"Meter proved", "Loads off"} {
		w.says("Now: " + step)
		if name := names[step]; name != "" {
			w.gate("Record", "Name", name)
			continue
		}
		w.gate("Record", "It is so", "yes")
	}
	w.gate("Record", "Reading", "0.1")
	w.gate("Record", "It is so", "yes")
	w.gate("Record", "Reading", "2")
	w.says("Now: Bank, end to end")
	w.gate("Record", "Reading", text(volts))
	w.says("Now: Isolation")
	w.gate("Record", "End to end", text(volts), "Positive to case", "0.4", "Negative to case", "0.3")
	if plug != "" {
		w.says("Now: Service plug drawn and proved dead")
		w.gate("Record", "Reading", "0.2")
	}
}
