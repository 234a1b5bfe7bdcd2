package working

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/bank/cost"
	"pandrel/core/base/ask"
	"pandrel/core/base/figure"
	"pandrel/core/base/known"
)

// MoneyIn is what a bank costs, piece by piece, in one currency.
type MoneyIn struct {
	Modules    known.Value `key:"modules" label:"Modules in the bank" range:"1 to 1e5" whole:"yes" must:"yes" example:"8"`
	Price      known.Value `key:"price" label:"Each" range:"0 to 1e7" example:"60" help:"In one currency for all"`
	Freight    known.Value `key:"freight" label:"Freight, flat" range:"0 to 1e8"`
	Pallet     known.Value `key:"pallet" label:"or by the pallet" range:"0 to 1e7" example:"180"`
	Holds      known.Value `key:"holds" label:"A pallet holds" range:"1 to 1e5" whole:"yes" example:"14" help:"Modules"`
	BMS        known.Value `key:"bms" label:"BMS" range:"0 to 1e7" example:"120"`
	Parts      []ask.Row   `key:"parts" label:"Parts" rows:"1 of 100" example:"fuse and holder: 45 / cables: 70 / box: 90 owned" help:"a line each: name, price, 'owned' where it was paid for already"`
	Hours      known.Value `key:"hours" label:"Hours" unit:"h" range:"0 to 1e5" example:"10"`
	Rate       known.Value `key:"rate" label:"An hour" range:"0 to 1e5" example:"20"`
	Rated      known.Value `key:"rated" label:"Rated" unit:"kWh" range:"0 to 1e6" example:"20.7"`
	Tested     known.Value `key:"tested" label:"Tested" unit:"kWh" range:"0 to 1e6" example:"18" help:"Empty: not tested"`
	Usable     known.Value `key:"usable" label:"Usable" unit:"kWh" range:"0 to 1e6" example:"15" help:"In each cycle"`
	Cycles     known.Value `key:"cycles" label:"Cycles still to come" range:"0 to 1e6" example:"1500"`
	Banks      known.Value `key:"banks" label:"Banks alike" range:"1 to 1e4" whole:"yes" set:"1"`
	NewPrice   known.Value `key:"new_price" label:"New, for each kWh" range:"0 to 1e6" example:"250"`
	NewCycles  known.Value `key:"new_cycles" label:"New, cycles" range:"0 to 1e6" example:"5000"`
	LeadPrice  known.Value `key:"lead_price" label:"Lead-acid, for each kWh" range:"0 to 1e6" example:"130"`
	LeadCycles known.Value `key:"lead_cycles" label:"Lead-acid, cycles" range:"0 to 1e6" example:"500"`
}

var _ = shelve[MoneyIn](Working{Key: "money", Title: "Money", About: Money, Order: 3,
	Question: "What does a delivered kilowatt hour cost, beside a new one?",
	Source: "rules §15 and §17: (modules + freight's share + BMS + parts + hours × rate) / kWh; delivered = usable × " +
		"cycles × 0.90",
	Not: []string{"interest, failures before their time, what the old one still brings"}})

// open names what goes into a bank and has no price yet.
func (in *MoneyIn) open() (out []string) {
	for _, x := range []struct {
		name string
		is   bool
	}{{"freight", in.Freight.Is() || in.Pallet.Is() && in.Holds.Is()}, {"BMS", in.BMS.Is()},
		{"parts", len(in.Parts) > 0}, {"work", in.Hours.Is() && in.Rate.Is()}} {
		if !x.is {
			out = append(out, x.name)
		}
	}
	return out
}

// Answer adds up what is known, and says what is not.
//
// In one piece: what is read, and what is said of it, in the order of the page.
func (in *MoneyIn) Answer(a *ask.Answer) error {
	if !in.Price.Is() {
		return ask.Bad(&in.Price, "expected a price")
	}
	b := cost.Bank{Modules: int(in.Modules.Or(1)), ModulePrice: in.Price.V(), Freight: in.Freight.V(),
		PalletPrice: in.Pallet.V(), ModulesPerPallet: int(in.Holds.V()), BMS: in.BMS.V(), Hours: in.Hours.V(),
		HourRate: in.Rate.V(), RatedKWh: in.Rated.V(), TestedKWh: in.Tested.V(), UsableKWh: in.Usable.V(),
		Cycles: in.Cycles.V(), Banks: int(in.Banks.Or(1))}
	for _, x := range in.Parts {
		b.Parts = append(b.Parts, cost.Part{Name: x.Name, Price: x.At(0), Owned: slices.Contains(x.Words, "owned")})
	}
	others := []cost.Other{
		{Name: "new lithium", PerKWh: in.NewPrice.V(), UsedShare: 0.9, Cycles: in.NewCycles.V(), Efficiency: 0.92},
		{Name: "lead-acid", PerKWh: in.LeadPrice.V(), UsedShare: 0.5, Cycles: in.LeadCycles.V(), Efficiency: 0.75}}
	c, err := cost.Work(b, others)
	if err != nil {
		return err
	}
	a.Result = c
	if in.NewPrice.Is() || in.LeadPrice.Is() {
		a.Assume("of a new one 90 %% is used at 92 %% efficiency, of lead-acid 50 %% at 75 %%: typical")
	}
	open := in.open() // what has no price yet: all that is added up is a lower bound then
	least, most := figure.Text(""), ""
	if len(open) > 0 {
		least, most = "at least ", "at most "
		a.Say("At least %s", figure.Of(c.Total))
	} else {
		a.Say("%s in all", figure.Of(c.Total))
	}
	if c.PerUsable > 0 {
		a.Also(", %s for each usable kWh", figure.Of(c.PerUsable))
	}
	if c.PerDelivered > 0 {
		a.Also(", %.3f for each that it delivers", c.PerDelivered)
	}
	a.Also(".")
	if len(open) > 0 {
		a.Also(" Not in it, for want of a price: %s.", strings.Join(open, ", "))
	}
	for _, x := range c.Against {
		if x.Dearer > 0 {
			a.Also(" %s: %s%.1f × that.", strings.ToUpper(x.Name[:1])+x.Name[1:], most, x.Dearer)
		}
	}
	per := func(label string, v float64) {
		if v > 0 {
			a.Line(label, least+figure.Dec(v, max(2, figure.Digits(v))), "for each kWh")
		}
	}
	a.Line("The bank", least+figure.Dec(c.Total, 2), "")
	if c.Owned > 0 {
		a.Line("with the parts that were owned", least+figure.Dec(c.WithOwned, 2), "")
	}
	per("Rated", c.PerRated)
	per("Tested", c.PerTested)
	per("Tested, modules with freight alone", c.ModulesEach)
	per("Usable", c.PerUsable)
	per("Delivered over its cycles", c.PerDelivered)
	t := ask.Table{Title: "What it is made of", Heads: []string{"Of", "Price"}, Words: 1}
	for _, x := range []struct {
		name, of string
		v        float64
	}{{"modules", "", c.Modules}, {"its share of freight", "freight", c.Freight}, {"BMS", "BMS", c.BMS},
		{"parts bought", "parts", c.Parts}, {"work", "work", c.Work}} {
		if slices.Contains(open, x.of) {
			t.Row(x.name, "not known")
			continue
		}
		t.Row(x.name, figure.Dec(x.v, 2))
	}
	n := ask.Table{Title: "As many banks at once", Heads: []string{"Banks", "Each", "Pallets"}}
	for _, x := range c.ForBanks {
		n.Row(fmt.Sprint(x.N), least+figure.Dec(x.Each, 2), fmt.Sprint(x.Pallets))
	}
	o := ask.Table{Title: "The same usable energy otherwise", Heads: []string{"Kind", "Price", "Each delivered kWh",
		"× this bank"}, Words: 1}
	for _, x := range c.Against {
		o.Row(x.Name, figure.Dec(x.Price, 0), figure.Dec(x.PerDelivered, 3), figure.Text(most)+figure.Dec(x.Dearer, 2))
	}
	a.Tables = append(a.Tables, t, n, o)
	a.Works("(%s + %s + %s + %s + %s) / kWh", figure.Dec(c.Modules, 0), figure.Dec(c.Freight, 0), figure.Dec(c.BMS, 0),
		figure.Dec(c.Parts, 0), figure.Dec(c.Work, 0))
	a.Findings = c.Judge()
	return nil
}

// FromBank asks what the modules cost where their lot does not say.
func (in *MoneyIn) FromBank(p Bank) bool {
	c := p.Design.Candidate
	in.Modules, in.Price = counted(max(1, c.ModulesUsed)), typed(p.ModulePrice)
	in.Rated, in.Usable = p.Design.As(c.TotalKWh), p.Design.As(c.UsableKWh)
	return true
}

// FromLot is what the lot cost.
func (in *MoneyIn) FromLot(l Lot) bool {
	in.Modules, in.Price, in.Freight = counted(l.Modules), typed(l.Price), typed(l.Freight)
	in.Pallet, in.Holds = typed(l.Pallet), counted(l.PalletHolds)
	in.Rated, in.Tested = worked(l.RatedKWh), worked(l.TestedKWh)
	return l.Price > 0
}
