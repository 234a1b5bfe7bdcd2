// Package kit is what stands on a bench: chargers and loads with their channels, clamps and wires, a store, and the
// hours in which somebody is there.
package kit

import (
	"fmt"
	"pandrel/core/bench/load"
	"strings"
)

// Device charges, discharges, or both, on one or more channels. Amps and watts are of one channel.
type Device struct {
	Name         string  `json:"Name"`
	Channels     int     `json:"Channels"`
	SeriesMost   int     `json:"SeriesMost"` // groups in series that a channel takes
	ChargeAmps   float64 `json:"ChargeAmps"`
	LoadAmps     float64 `json:"LoadAmps"`
	Watts        float64 `json:"Watts"`        // of charge, 0 no limit
	LoadWatts    float64 `json:"LoadWatts"`    // of discharge, 0 no limit
	Regenerative bool    `json:"Regenerative"` // a discharge goes back to the wall or a store
	Isolated     bool    `json:"Isolated"`     // its outputs from each other, from its supply and its data lead
	OwnEndPoint  bool    `json:"OwnEndPoint"`  // it ends a step by itself
	GroupVolts   bool    `json:"GroupVolts"`   // it reads every group, and ends on the first at its limit
	AccuracyPct  float64 `json:"AccuracyPct"`  // ± of what it counts, 0 not known
}

// Charges and Discharges report what a device can do.
func (d Device) Charges() bool { return d.ChargeAmps > 0 }

// Discharges reports whether it can take a current.
func (d Device) Discharges() bool { return d.LoadAmps > 0 }

// Store takes what a discharge sends and gives it to a charge. From is its charge now, 0…1.
type Store struct {
	KWh        float64 `json:"KWh"`
	From       float64 `json:"From"`
	Efficiency float64 `json:"Efficiency"` // each way
}

// What is left of a store at its ends (rules §5).
const (
	StoreLow  = 0.10
	StoreHigh = 0.95
)

// Kit is the whole bench. Clamp and wire are what they bear, amps. Work is from and to what hour of the day somebody is
// there, 0 and 24 for always.
type Kit struct {
	Devices   []Device        `json:"Devices"`
	ClampAmps float64         `json:"ClampAmps"`
	WireAmps  float64         `json:"WireAmps"`
	Store     Store           `json:"Store"`
	WorkFrom  float64         `json:"WorkFrom"`
	WorkTo    float64         `json:"WorkTo"`
	Resistors []load.Resistor `json:"Resistors"` // in stock, to make a load of
}

// Small is a made-up set to begin with.
func Small() Kit {
	return Kit{ClampAmps: 40, WireAmps: 50, WorkFrom: 8, WorkTo: 17, Store: Store{KWh: 5, From: 0.5, Efficiency: 0.9},
		Devices: []Device{
			{Name: "Cycler A", Channels: 2, SeriesMost: 8, ChargeAmps: 20, LoadAmps: 20, Watts: 400, LoadWatts: 400,
				Regenerative: true, Isolated: true, OwnEndPoint: true, GroupVolts: true},
			{Name: "Charger B", Channels: 1, SeriesMost: 8, ChargeAmps: 30, Watts: 600, OwnEndPoint: true},
			{Name: "Load C", Channels: 1, SeriesMost: 16, LoadAmps: 30, LoadWatts: 300, OwnEndPoint: true},
		}}
}

// Check says what of a kit cannot be, by the field of its form; "" for nothing.
//
// In one piece: each field with what it may be.
func (k Kit) Check() (field, text string) {
	if len(k.Devices) > 40 {
		return "devices", "expected at most 40 devices"
	}
	seen := map[string]bool{}
	for i, d := range k.Devices {
		at := fmt.Sprintf("line %d", i+1)
		name := strings.ToLower(strings.TrimSpace(d.Name))
		switch {
		case name == "" || seen[name]:
			return "devices", at + ": expected a name of its own"
		case d.Channels < 1 || d.Channels > 64:
			return "devices", at + ": expected 1 to 64 channels"
		case d.SeriesMost < 1 || d.SeriesMost > 400:
			return "devices", at + ": expected how many groups in series it takes"
		case !(d.ChargeAmps >= 0 && d.LoadAmps >= 0 && d.ChargeAmps < 5000 && d.LoadAmps < 5000),
			d.ChargeAmps+d.LoadAmps == 0:
			return "devices", at + ": expected amps of charge, of load, or both"
		case !(d.Watts >= 0 && d.LoadWatts >= 0 && d.Watts < 1e6 && d.LoadWatts < 1e6):
			return "devices", at + ": expected watts, 0 for no limit"
		}
		seen[name] = true
	}
	if len(k.Resistors) > 40 {
		return "resistors", "expected at most 40 kinds"
	}
	for i, r := range k.Resistors {
		if !(r.Ohms >= 1e-4 && r.Ohms <= 1e6) || !(r.Watts >= 0.01 && r.Watts <= 1e5) || r.Count < 1 || r.Count > 400 {
			return "resistors", fmt.Sprintf("line %d: expected ohms, watts and 1 to 400 pieces", i+1)
		}
	}
	if !(k.ClampAmps >= 0 && k.WireAmps >= 0 && k.ClampAmps < 5000 && k.WireAmps < 5000) {
		return "clamp_a", "expected amps, empty for not known"
	}
	if !(k.Store.KWh >= 0 && k.Store.KWh < 1e4 && k.Store.From >= 0 && k.Store.From <= 1) {
		return "store_kwh", "expected its kWh and its charge, 0 to 100 %"
	}
	if !(k.WorkFrom >= 0 && k.WorkTo <= 24 && k.WorkFrom < k.WorkTo) {
		return "work_from", "expected hours of a day, such as 8 and 17"
	}
	return "", ""
}
