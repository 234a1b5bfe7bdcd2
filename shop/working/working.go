// Package working fills the workings from what is on record of a bank, a module, a lot or a standing bank,
// and keeps an answer with a bank.
package working

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/bank/plan"
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/known"
	core "pandrel/core/working"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/record"
	"pandrel/store"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record    *record.Room
	Bank      *bank.Room
	Procedure *procedure.Room
}

// From is a place in the work, as an address names it: bank-3, module-K-014, lot-2, standing-1, pack-4.
type From struct {
	Kind string
	ID   int64
	Name string // of a module: its number
}

// ParseFrom reads a place in the work; the zero From for anything else.
func ParseFrom(s string) From {
	kind, rest, _ := strings.Cut(s, "-")
	if kind == "module" && rest != "" {
		return From{Kind: kind, Name: rest}
	}
	id, err := strconv.ParseInt(rest, 10, 64)
	if err != nil || id < 1 || !slices.Contains([]string{"bank", "lot", "standing", "pack"}, kind) {
		return From{}
	}
	return From{Kind: kind, ID: id}
}

// String is the place as an address names it.
func (f From) String() string {
	if f.Kind == "module" {
		return "module-" + f.Name
	}
	return fmt.Sprintf("%s-%d", f.Kind, f.ID)
}

// Place is a place in the work with the workings that it raises.
type Place struct {
	From   From
	Name   string
	Filled []core.Filled
}

// At fills the workings of a place.
func (s *Room) At(ctx context.Context, f From) (p Place, err error) {
	p.From = f
	if f, err = s.now(ctx, f); err != nil {
		return p, err
	}
	p.From = f
	switch f.Kind {
	case "bank":
		b, err := s.Procedure.ByID(ctx, f.ID)
		switch {
		case err != nil:
			return p, err
		case b.Origin == store.Built:
			return s.atBank(ctx, f)
		}
		return s.atOther(ctx, f, b)
	case "module":
		return s.atModule(ctx, f)
	case "lot":
		return s.atLot(ctx, f)
	}
	return p, kernel.Missing("place %q", f.String())
}

// now is a place as it is called now: banks of other origins were numbered by themselves once, and printed so.
func (s *Room) now(ctx context.Context, f From) (From, error) {
	was := map[string]string{"standing": "services", "pack": "packs"}[f.Kind]
	if was == "" {
		return f, nil
	}
	b, err := s.Procedure.Printed(ctx, was, f.ID)
	return From{Kind: "bank", ID: b.ID}, err
}

// atOther is a bank that was not built here.
func (s *Room) atOther(ctx context.Context, f From, b store.Bank) (p Place, err error) {
	p.From, p.Name = f, b.Name
	if b.Origin == store.Whole {
		v, err := s.Procedure.PackByID(ctx, b.ID)
		if err != nil {
			return p, err
		}
		total := 0.0
		for _, volts := range v.Volts {
			total += volts
		}
		p.Filled = core.At(core.Standing{Volts: known.Recorded(total, known.Measured)})
		return p, nil
	}
	v, err := s.Procedure.StandingByID(ctx, b.ID)
	if err != nil {
		return p, err
	}
	x := core.Standing{Chemistry: v.Cells.Chemistry, Series: v.Cells.Series,
		Ah: known.Recorded(v.Cells.Ah, known.Typed)}
	x.FullVolts = known.Recorded(v.Bank.FullVolts, known.Typed)
	if last, read := v.Newest(); read {
		digit := max(last.Part.TotalDigit, 0.001*float64(len(last.Volts)))
		x.Volts, x.Groups = known.Recorded(last.Judged.TotalV, known.Measured).With(digit), last.Volts
	}
	p.Filled = core.At(x)
	return p, nil
}

func (s *Room) atBank(ctx context.Context, f From) (p Place, err error) {
	b, n, d, err := s.Bank.ByID(ctx, f.ID)
	if err != nil {
		return p, err
	}
	p.From, p.Name = f, b.Name
	if d == nil {
		return p, nil
	}
	w, err := s.Bank.PlanWiring(ctx, b, n, *d)
	if err != nil {
		return p, err
	}
	p.Filled, err = s.OfBank(ctx, b, n, *d, w)
	return p, err
}

// OfBank fills the workings of a bank whose wiring was planned already.
func (s *Room) OfBank(ctx context.Context, b store.Bank, n plan.Need, d plan.Design, w plan.Wiring) ([]core.Filled,
	error) {
	x := core.Bank{Need: n, Design: d, Parts: bank.PartsOf(b)}
	x.Design.Places = slices.Clone(w.Places) // with the newest voltages, and none where nominal ones stand in
	for i, p := range x.Design.Places {
		if slices.Contains(w.Assumed, p.Number) {
			x.Design.Places[i].Volts = nil
		}
	}
	t, err := s.Type(ctx, d.TypeID)
	if err != nil {
		return nil, err
	}
	if x.Curve, err = record.CurveOf(t); err != nil {
		return nil, err
	}
	if x.Device, _, err = s.Bank.DeviceOf(ctx, b); err != nil {
		return nil, err
	}
	var price []float64
	err = s.Store.DB.WithContext(ctx).Raw("SELECT avg((l.price + l.freight) * 1.0 / (SELECT count(*) FROM modules x "+
		"WHERE x.lot_id = l.id AND x.parent_id IS NULL) / max(1, (SELECT count(*) FROM modules y WHERE y.parent_id = "+
		"m.parent_id))) FROM modules m JOIN lots l ON l.id = m.lot_id WHERE m.bank_id = ? HAVING count(*) > 0",
		b.ID).Scan(&price).Error
	if len(price) > 0 {
		x.ModulePrice = price[0]
	}
	return core.At(x), err
}

func (s *Room) atModule(ctx context.Context, f From) (p Place, err error) {
	db := s.Store.DB.WithContext(ctx)
	m, t, err := s.ModuleWithType(ctx, f.Name)
	if err != nil {
		return p, err
	}
	p.From, p.Name = From{Kind: "module", Name: m.Number}, m.Number
	lay, ok, err := record.LayoutFor(db, m, t)
	if err != nil || !ok {
		return p, err
	}
	x := core.Module{Chemistry: t.Chemistry, Series: lay.Series, Ah: known.Recorded(m.CapacityAh, known.Measured),
		MOhm: known.Recorded(m.ResistanceMohm, known.Measured)}
	if !x.Ah.Is() { // what is on the plate is not what it holds
		x.Ah = known.Recorded(t.RatedAh, known.Assumed)
	}
	if x.Curve, err = record.CurveOf(t); err != nil {
		return p, err
	}
	volts, err := record.LastVolts(db, m.ID)
	for g := 1; g <= len(volts); g++ {
		x.Volts = append(x.Volts, volts[g])
	}
	p.Filled = core.At(x)
	return p, err
}

// lotType is how many modules of a lot are of one type.
type lotType struct {
	ID        int64
	Chemistry chem.ID
	RatedAh   float64
	LayoutID  *int64
	N         int
}

func (s *Room) atLot(ctx context.Context, f From) (p Place, err error) {
	db := s.Store.DB.WithContext(ctx)
	lot, err := s.Record.Lot(ctx, f.ID)
	if err != nil {
		return p, err
	}
	p.From, p.Name = f, "the lot from "+lot.Supplier
	var ts []lotType
	if err = db.Raw("SELECT t.id, t.chemistry, t.rated_ah, t.layout_id, count(*) AS n FROM modules m JOIN "+
		"module_types t ON t.id = m.type_id WHERE m.lot_id = ? AND m.parent_id IS NULL GROUP BY t.id "+
		"ORDER BY n DESC, t.id", lot.ID).Scan(&ts).Error; err != nil {
		return p, err
	}
	if len(ts) == 0 {
		return p, nil
	}
	x := core.Lot{Chemistry: ts[0].Chemistry, Ah: ts[0].RatedAh, Modules: ts[0].N, Pallet: lot.PalletFreight,
		PalletHolds: lot.PalletHolds}
	all := 0
	for _, t := range ts {
		all += t.N
	}
	if lot.Price > 0 {
		x.Price = lot.Price / float64(all)
		if lot.PalletFreight == 0 {
			x.Freight = lot.Freight * float64(x.Modules) / float64(all)
		}
	}
	if err = db.Raw("SELECT capacity_ah FROM modules WHERE lot_id = ? AND type_id = ? AND capacity_ah > 0 ORDER "+
		"BY number", lot.ID, ts[0].ID).Scan(&x.Tested).Error; err != nil {
		return p, err
	}
	t, err := s.Type(ctx, ts[0].ID)
	if err != nil {
		return p, err
	}
	lay, ok, err := s.Record.LayoutOf(ctx, t)
	if err != nil {
		return p, err
	}
	if ok {
		x.Series = lay.Series
	}
	p.Filled = core.At(x.WithEnergy())
	return p, nil
}

// KeepInput keeps an answer with a bank.
type KeepInput struct {
	BankID int64
	Key    string
	Values ask.Values
	From   ask.Sources
	Token  string
}

// Keep works an answer out once more and writes it down with a bank: what was typed, and what it said.
func (s *Room) Keep(ctx context.Context, in KeepInput) error {
	w, ok := core.ByKey(in.Key)
	if !ok {
		return kernel.Missing("working %q", in.Key)
	}
	a, err := w.Solve(in.Values, in.From)
	if err != nil {
		return kernel.Bad("", "%v", err)
	}
	return s.Action(ctx, in.Token, "working", func(tx *gorm.DB) error {
		b, err := bank.BankByID(tx, in.BankID)
		if err != nil {
			return err
		}
		row := store.KeptWorking{BankID: b.ID, Working: w.Key, Inputs: store.JSONOf(map[string]string(in.Values)),
			Says: a.Sentence(), Level: a.Level.String(), By: kernel.Who(ctx), At: s.Now(), Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return s.Log(tx, "working", kernel.About{Bank: b.ID}, "%s: %s", w.Title, a.Sentence())
	})
}

// Kept is an answer that was kept, with its working and its inputs.
type Kept struct {
	store.KeptWorking
	Title  string
	Values ask.Values
}

// KeptOf lists the newest answer of each working that was kept with a bank.
func (s *Room) KeptOf(ctx context.Context, bankID int64) (out []Kept, err error) {
	var rows []store.KeptWorking
	err = s.Store.DB.WithContext(ctx).Raw("SELECT * FROM kept_workings k WHERE bank_id = ? AND NOT EXISTS (SELECT 1 "+
		"FROM kept_workings x WHERE x.bank_id = k.bank_id AND x.working = k.working AND x.id > k.id) ORDER BY id",
		bankID).Scan(&rows).Error
	if err != nil {
		return nil, err
	}
	for _, r := range rows {
		k := Kept{KeptWorking: r, Title: r.Working}
		if w, ok := core.ByKey(r.Working); ok {
			k.Title = w.Title
		}
		v, err := r.Inputs.Get()
		if err != nil {
			return nil, err
		}
		k.Values = v
		out = append(out, k)
	}
	return out, nil
}
