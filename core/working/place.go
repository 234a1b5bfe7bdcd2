package working

import (
	"cmp"
	"reflect"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/plan"
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/known"
	"pandrel/core/working/place"
	"pandrel/core/working/shelf"
)

// A working is opened from a place in the work by a method of what it takes: FromBank, FromModule, FromLot or
// FromStanding fills in what is known there, and leaves open what is not. False says that the place does not raise the
// question at all.

// Bank is what is known of a designed bank.
type Bank struct {
	Need        plan.Need
	Design      plan.Design
	Curve       *chem.Curve
	Device      bms.Device // zero where none was chosen
	Parts       plan.Parts
	ModulePrice float64 // a module's share of what its lot cost, 0 not known
}

// bank is what workings ask of a bank.
func (p Bank) bank() BankIn {
	return BankIn{CellsIn{p.Design.Candidate.Chemistry, counted(p.Design.Candidate.Series)}, p.ah(), p.Design.MOhm()}
}

// ah is what the bank holds, as sure as its modules are.
func (p Bank) ah() known.Value { return p.Design.As(p.Design.Candidate.CapacityAh) }

// device is a voltage of the device as it was given, or what such devices usually take, which is assumed.
func device(given, stands float64) known.Value {
	return cmp.Or(known.Recorded(given, known.Typed), known.Recorded(stands, known.Assumed))
}

func (p Bank) cutoff() known.Value { return device(p.Need.CutoffVolts, p.Need.Filled().CutoffVolts) }
func (p Bank) most() known.Value {
	return device(p.Need.ChargeMaxVolts, p.Need.Filled().ChargeMaxVolts)
}

// setting is what its charger is set to, which follows from the device.
func (p Bank) setting() known.Value {
	return known.Recorded(p.Design.Candidate.SettingVolts, p.most().From()).Times(1)
}

// amps are what the bank carries: the load's, or the charger's where that is more.
func (p Bank) amps() known.Value {
	if load := p.Design.Candidate.Load(); load.V() >= p.Need.ChargeAmps {
		return load
	}
	return typed(p.Need.ChargeAmps)
}

// watts is what the load takes at its output: what was typed in watts, and what the amps beside it are worth at
// cut-off.
func (p Bank) watts() known.Value {
	w := typed(p.Need.LoadWatts)
	if p.Need.LoadA > 0 && w.Is() {
		w = w.Add(typed(p.Need.LoadA).Mul(p.cutoff()).Mul(known.Of(usualEfficiency, known.Assumed)))
	}
	return w
}

// usualEfficiency is what an inverter gives of what it takes, where nothing says better.
const usualEfficiency = 0.9

func sum(list []float64) (out float64) {
	for _, v := range list {
		out += v
	}
	return out
}

// What is known of the other places.
type (
	Module   = place.Module
	Lot      = place.Lot
	Standing = place.Standing
)

// At fills the workings that a place raises: a Bank, a Module, a Lot or a Standing.
func At(where any) (out []Filled) {
	if l, ok := where.(Lot); ok && l.Modules < 1 {
		return nil
	}
	from := map[reflect.Type]string{reflect.TypeFor[Bank](): "FromBank", reflect.TypeFor[Module](): "FromModule",
		reflect.TypeFor[Lot](): "FromLot", reflect.TypeFor[Standing](): "FromStanding"}
	return shelf.At(from[reflect.TypeOf(where)], where)
}

// Numbers of a record, of which 0 is not known.
func measured(v float64) known.Value { return known.Recorded(v, known.Measured) }

// summed is a total of so many groups, each read to a millivolt.
func summed(v float64, groups int) known.Value { return measured(v).With(0.001 * float64(groups)) }

func typed(v float64) known.Value  { return known.Recorded(v, known.Typed) }
func worked(v float64) known.Value { return known.Recorded(v, known.Typed).Times(1) }
func counted(n int) known.Value    { return known.Recorded(float64(n), known.Typed) }

func ownCurve(c *chem.Curve) (out OwnCurve) {
	if c == nil {
		return out
	}
	soc, v := c.Points()
	for i := range soc {
		out.Curve = append(out.Curve, ask.Row{Nums: []float64{soc[i], v[i]}})
	}
	return out
}
