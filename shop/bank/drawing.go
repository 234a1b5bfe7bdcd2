package bank

import (
	"context"
	"slices"

	"gorm.io/gorm"

	"pandrel/core/bank/floor"
	"pandrel/core/bank/plan"
	"pandrel/core/base/chem"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// DrawingByID returns a drawing of a bank.
func DrawingByID(db *gorm.DB, bankID, id int64) (store.Drawing, error) {
	return kernel.Take[store.Drawing](db.Where("id = ? AND bank_id = ?", id, bankID), kernel.Missing("drawing %d", id))
}

// Shapes are the faces and sizes of modules by their numbers. One that is no longer on record is left out.
func Shapes(db *gorm.DB, numbers []string) (floor.Units, error) {
	out := floor.Units{}
	types := map[int64]store.ModuleType{}
	for _, number := range numbers {
		m, ok, err := kernel.Find[store.Module](db.Where("number = ?", number))
		if err != nil {
			return nil, err
		}
		if !ok {
			continue
		}
		t, known := types[m.TypeID]
		if !known {
			if t, err = kernel.TypeByID(db, m.TypeID); err != nil {
				return nil, err
			}
			types[m.TypeID] = t
		}
		out[m.Number] = t.Drawn()
	}
	return out, nil
}

// builtBy is the drawing that a bank is built by, with the shapes of its modules. It must hold the modules of the
// design and no others: a bank is never judged by a drawing of another one.
func (s *Room) builtBy(ctx context.Context, b store.Bank, d plan.Design) (*floor.Drawing, floor.Units, error) {
	db := s.Store.DB.WithContext(ctx)
	row, err := DrawingByID(db, b.ID, *b.BuiltByID)
	if err != nil {
		return nil, nil, err
	}
	drawn, err := row.Body.Get()
	if err != nil {
		return nil, nil, err
	}
	if err := SameModules(drawn, d); err != nil {
		return nil, nil, err
	}
	shapes, err := Shapes(db, d.All())
	return &drawn, shapes, err
}

// SameModules says which modules a drawing and a design do not have in common.
func SameModules(drawn floor.Drawing, d plan.Design) error {
	all := d.All()
	for _, p := range drawn.Pieces {
		if p.Kind == floor.Module && !slices.Contains(all, p.ID) {
			return kernel.Bad("", "%s stands on the drawing and is not of this bank: take it off the drawing, "+
				"or put it "+
				"into the design", p.ID)
		}
	}
	for _, number := range all {
		if drawn.Piece(number) == nil {
			return kernel.Bad("", "%s is of this bank and stands on no place of the drawing: put it there", number)
		}
	}
	return nil
}

// Units are modules as they are drawn, each with what its capacity and its volts rest on: by the wiring of the design
// where they are in it, else by what is on record of each. Nominal volts stand in where nobody read any.
func (s *Room) Units(ctx context.Context, w plan.Wiring, numbers []string) (floor.Units, error) {
	db := s.Store.DB.WithContext(ctx)
	units, err := Shapes(db, numbers)
	if err != nil {
		return nil, err
	}
	units = units.With(w.Netlist.Modules)
	for _, p := range w.Places {
		if u, ok := units[p.Number]; ok {
			u.Ah, u.Nobody = p.Ah(), slices.Contains(w.Assumed, p.Number)
			units[p.Number] = u
		}
	}
	for number, u := range units {
		if u.ID != "" {
			continue
		}
		if err := s.alone(db, number, &u); err != nil {
			return nil, err
		}
		if units[number] = u; len(u.Groups) == 0 {
			delete(units, number)
		}
	}
	return units, nil
}

// alone fills in a module by itself as package netlist has it, without groups where it has no layout.
func (s *Room) alone(db *gorm.DB, number string, u *floor.Unit) error {
	m, t, err := kernel.ModuleWithType(db, number)
	if err != nil {
		return err
	}
	lay, ok, err := record.LayoutFor(db, m, t)
	if err != nil || !ok {
		return err
	}
	p, err := Placed(db, m)
	if err != nil {
		return err
	}
	pt, err := record.PlanType(t)
	if err != nil {
		return err
	}
	if u.Nobody = len(p.Volts) != lay.Series; u.Nobody {
		c, _ := chem.Lookup(t.Chemistry)
		p.Volts = slices.Repeat([]float64{c.NominalVolts}, lay.Series)
	}
	u.Module, u.Ah = plan.Alone(p, pt, lay, t.Chemistry), p.Ah()
	return nil
}

// Redrawn puts one module in the place of another on the drawings of a bank that count, as a change of its own.
func (s *Room) Redrawn(tx *gorm.DB, b store.Bank, out, in string) error {
	cols, made := map[string]any{}, map[int64]int64{}
	for col, id := range map[string]*int64{"drawing_id": b.DrawingID, "built_by_id": b.BuiltByID} {
		if id == nil {
			continue
		}
		if now, ok := made[*id]; ok { // it is built by what is shown
			cols[col] = now
			continue
		}
		row, err := DrawingByID(tx, b.ID, *id)
		if err != nil {
			return err
		}
		d, err := row.Body.Get()
		if err != nil {
			return err
		}
		if d.Piece(out) == nil {
			continue
		}
		fresh := store.Drawing{BankID: b.ID, AfterID: &row.ID, Body: store.JSONOf(d.Renamed(out, in)),
			Said: in + " in the place of " + out, DrawnBy: kernel.Acts(tx), DrawnAt: s.Now()}
		if err := tx.Create(&fresh).Error; err != nil {
			return err
		}
		cols[col], made[*id] = fresh.ID, fresh.ID
	}
	if len(cols) == 0 {
		return nil
	}
	return tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(cols).Error
}

// dropDrawings takes the drawings of a need with it that was never designed.
func dropDrawings(tx *gorm.DB, bankID int64) error {
	err := tx.Model(&store.Bank{}).Where("id = ?", bankID).Updates(map[string]any{"drawing_id": nil,
		"built_by_id": nil}).Error
	if err != nil {
		return err
	}
	if err := tx.Model(&store.Drawing{}).Where("bank_id = ?", bankID).Update("after_id", nil).Error; err != nil {
		return err
	}
	return tx.Where("bank_id = ?", bankID).Delete(&store.Drawing{}).Error
}
