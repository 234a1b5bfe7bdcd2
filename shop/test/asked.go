package test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"pandrel/core/base/ask"
	"pandrel/core/test/kind"
	"pandrel/core/test/noted"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// AskedInput is a test of a kind that is asked, as it was typed: of a module, or of a part of it.
type AskedInput struct {
	Number   string
	Kind     kind.Kind
	Values   ask.Values
	From, To int
	Token    string
}

// RecordAsked keeps a test of a kind that is asked.
func (s *Room) RecordAsked(ctx context.Context, in AskedInput) error {
	return s.Action(ctx, in.Token, "asked", func(tx *gorm.DB) error {
		m, t, err := s.mayTake(tx, in.Number)
		if err != nil {
			return err
		}
		row := store.OfModule(in.Kind.Source, m.ID)
		if in.To == 0 { // one group alone
			in.To = in.From
		}
		if row.FromGroup, row.ToGroup, err = partOf(tx, m, t, in.From, in.To); err != nil {
			return err
		}
		if row.Given, err = store.Raw(in.Values); err != nil {
			return err
		}
		f, err := figures(tx, m, t, row)
		if err != nil {
			return err
		}
		if err := in.possible(tx, m, t, row, f); err != nil {
			return err
		}
		row.By, row.At, row.Token = kernel.Acts(tx), s.Now(), in.Token
		row = row.Had()
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		text := f.Capacity().Text(1, "Ah")
		if f.CapacityAh == 0 {
			text = fmt.Sprintf("%.0f Wh", f.EnergyWh)
		}
		if part := row.PartName(); part != "" {
			text = part + " alone: " + text
		}
		if err := s.Log(tx, "test", kernel.About{Module: m.ID}, "A %s: %s", in.Kind.Word, text); err != nil {
			return err
		}
		return s.afterTest(tx, m, t)
	})
}

// possible refuses what no module shows, by the field that it was typed in.
func (in AskedInput) possible(tx *gorm.DB, m store.Module, t store.ModuleType, row store.Test, f kind.Figures) error {
	first := in.Kind.Fields[0].Key
	if f.CapacityAh >= mostAh {
		return kernel.Bad(first, "%.0f Ah: no module holds that", f.CapacityAh)
	}
	if err := tooMuch(m, t, f.CapacityAh, first); err != nil {
		return err
	}
	field, text, err := slip(tx, m, t, row, noted.Result{LowestEndVolts: f.LowestEndVolts, EndVolts: f.EndVolts,
		Ah: f.CapacityAh, FromFull: f.Complete, EnergyWh: f.EnergyWh, Amps: f.Amps,
		Checked: in.Values["checked"] != ""})
	if err != nil || field == "" {
		return err
	}
	if !slices.ContainsFunc(in.Kind.Fields, func(x ask.Field) bool { return x.Key == field }) {
		field = first
	}
	return kernel.Bad(field, "%s", text)
}

// figures is what a test of a module comes to before it is kept. What cannot be is an Invalid by its fields.
func figures(tx *gorm.DB, m store.Module, t store.ModuleType, row store.Test) (f kind.Figures, err error) {
	lay, _, err := record.LayoutFor(tx, m, t)
	if err != nil {
		return f, err
	}
	k := kind.Kept{Source: row.Source}
	if k.Given, err = store.Read[json.RawMessage](row.Given); err != nil {
		return f, err
	}
	f, _, err = k.Figures(kind.Subject{Chemistry: t.Chemistry, Series: lay.Series, From: row.FromGroup,
		To: row.ToGroup})
	var bad *ask.BadInput
	if errors.As(err, &bad) {
		return f, &kernel.Invalid{Fields: bad.Fields}
	}
	return f, err
}
