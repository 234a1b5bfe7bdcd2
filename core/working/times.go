package working

import (
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
	"pandrel/core/bench/times"
)

// TimesIn is what is known of modules to be tested, and of the bench.
type TimesIn struct {
	Chemistry chem.ID     `key:"chemistry" label:"Chemistry" must:"yes" example:"lfp"`
	Series    known.Value `key:"series" label:"Groups in a module" range:"1 to 400" whole:"yes" must:"yes" example:"4"`
	Ah        known.Value `key:"ah" label:"Capacity" unit:"Ah" range:"0.01 to 1e5" must:"yes" example:"202"`
	Modules   known.Value `key:"modules" label:"Modules" range:"1 to 1e5" whole:"yes" must:"yes" example:"14"`
	Channels  known.Value `key:"channels" label:"Channels at once" range:"1 to 1000" whole:"yes" must:"yes" example:"2"`
	ChargeA   known.Value `key:"charge_a" label:"Charger" unit:"A" range:"0.01 to 1e4" must:"yes" example:"20"`
	ChargeW   known.Value `key:"charge_w" label:"at most" unit:"W" range:"0.1 to 1e6"`
	LoadA     known.Value `key:"load_a" label:"Load" unit:"A" range:"0.01 to 1e4" must:"yes" example:"20"`
	LoadW     known.Value `key:"load_w" label:"at most" unit:"W" range:"0.1 to 1e6" example:"300"`
	Rest      known.Value `key:"rest" label:"Each rest" unit:"h" range:"0 to 100" set:"1"`
	Arrive    known.Value `key:"arrive" label:"Charge on arrival" unit:"%" range:"0 to 100" usual:"30"`
	Store     known.Value `key:"store" label:"Store" unit:"kWh" range:"0 to 1e4" help:"A bank that takes the discharge; empty: none"`
	Watched   bool        `key:"watched" label:"No group is monitored" help:"Then somebody stays for every charge and discharge"`
}

var _ = shelve[TimesIn](Working{Key: "times", Title: "Test time and energy", About: Tests, Order: 2,
	Question: "How long does a pallet take, and what does it cost from the wall?",
	Source:   "rules §5: constant current, then a taper at 0.4 of it for the last 3 % (LFP) or 10 %; 0.90 each way",
	Not:      []string{"a module that holds less than its plate", "nights in which nobody changes clamps"}})

// Answer gives hours and energy.
func (in *TimesIn) Answer(a *ask.Answer) error {
	j := times.Job{Chemistry: in.Chemistry, Series: int(in.Series.V()), Ah: in.Ah.V(), Modules: int(in.Modules.V()),
		Channels: int(in.Channels.V()), ChargeAmps: in.ChargeA.V(), ChargeWatts: in.ChargeW.V(),
		LoadAmps: in.LoadA.V(), LoadWatts: in.LoadW.V(), RestH: in.Rest.Or(1), FromSoC: in.Arrive.V() / 100,
		StoreKWh: in.Store.V(), AttendedAlone: in.Watched}
	h, err := times.Work(j)
	if err != nil {
		return err
	}
	a.Result = h
	a.Say("%s for each module; all %d on %s: %s. %s kWh from the wall", figure.Hours(h.PerModule),
		j.Modules, numeral.Count(j.Channels, "channel"), figure.Hours(h.PerPallet), figure.Of(h.WallKWh))
	if j.StoreKWh > 0 {
		a.Also(", %s kWh with the store", figure.Of(h.WallStoreKWh))
	}
	a.Also("; somebody is there for %s h.", figure.Of(h.AttendedH))
	t := ask.Table{Title: "One module", Heads: []string{"Step", "Limited by", "Amps", "Hours", "kWh"}, Words: 2}
	for _, s := range h.Steps {
		by := "amps"
		if s.ByWat {
			by = "watts"
		}
		if s.Amps == 0 {
			by = ""
		}
		t.Row(s.Name, by, figure.Of(s.Amps), figure.Dec(s.Hours, 1), figure.Dec(s.KWh, 2))
	}
	a.Tables = append(a.Tables, t)
	a.Line("Each module", figure.Dec(h.PerModule, 1), "h")
	a.Line("All of them", figure.Hours(h.PerPallet), "")
	a.Line("Round the clock", figure.Dec(h.Days, 1), "days")
	a.Line("Somebody there", figure.Of(h.AttendedH), "h")
	a.Line("From the wall", figure.Of(h.WallKWh), "kWh")
	if j.StoreKWh > 0 {
		a.Line("With the store", figure.Of(h.WallStoreKWh), "kWh")
		if h.StoreSmall {
			a.Assume("the store does not hold one whole discharge: the rest is burned")
		}
	}
	a.Works("charge %s h + rest + discharge %s Ah / %s A + rest + back to half", figure.Dec(h.Steps[0].Hours, 1),
		figure.Of(j.Ah), figure.Of(h.Steps[2].Amps))
	return nil
}

// FromLot asks what charges and loads them.
func (in *TimesIn) FromLot(l Lot) bool {
	in.Chemistry, in.Series, in.Ah, in.Modules = l.Chemistry, counted(l.Series), typed(l.Ah), counted(l.Modules)
	return l.Chemistry != "" && l.Series > 0 && l.Ah > 0
}
