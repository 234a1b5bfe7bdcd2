package kit

// Station is where one test runs: what charges and what discharges, on the charger's channel No, from 1. One device may
// do both. A device that only charges has a load of its own beside it: nothing is on two stations.
type Station struct {
	Charger Device
	Load    Device
	No      int
}

// Stations are the places where whole tests can run at the same time, in the order of the devices. Loads go to the
// chargers in their order; a charger for which no load is left, and a load without a charger, are none.
func (k Kit) Stations() (out []Station) {
	var loads []Device
	for _, d := range k.Devices {
		if !d.Charges() && d.Discharges() {
			for range d.Channels {
				loads = append(loads, d)
			}
		}
	}
	for _, d := range k.Devices {
		for c := range d.Channels {
			switch {
			case d.Charges() && d.Discharges():
				out = append(out, Station{d, d, c + 1})
			case d.Charges() && len(loads) > 0:
				out = append(out, Station{d, loads[0], c + 1})
				loads = loads[1:]
			}
		}
	}
	return out
}

// Cyclers are the stations that run a whole test by themselves: charge, discharge, end by themselves and read every
// group. They are the channels of a cycler, in their order.
func (k Kit) Cyclers() (out []Station) {
	for _, s := range k.Stations() {
		if s.Charger.Name == s.Load.Name && s.Charger.OwnEndPoint && s.Charger.GroupVolts {
			out = append(out, s)
		}
	}
	return out
}

// Beside is what charges and what discharges in a test that begins with d: itself, its own station's other half, or
// where there is none another device that can, which is then not free for anything else. What is missing is the zero
// Device.
func (k Kit) Beside(d Device) (charger, load Device) {
	if d.Charges() && d.Discharges() {
		return d, d
	}
	for _, s := range k.Stations() {
		if s.Charger.Name == d.Name || s.Load.Name == d.Name {
			return s.Charger, s.Load
		}
	}
	charger, load = d, Device{}
	if !d.Charges() {
		charger, load = Device{}, d
	}
	for _, both := range []bool{false, true} { // one that does nothing else first
		for _, x := range k.Devices {
			if (x.Charges() && x.Discharges()) != both {
				continue
			}
			if charger.Name == "" && x.Charges() {
				charger = x
			}
			if load.Name == "" && x.Discharges() {
				load = x
			}
		}
	}
	return charger, load
}
