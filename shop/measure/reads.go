package measure

import (
	"context"
	"errors"

	"gorm.io/gorm"

	"pandrel/core/bank/whole"
	"pandrel/core/module/passage"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// ReadInput is a sitting with a module in which not every group was read. RestMinutes is negative where not known.
type ReadInput struct {
	Number        string
	What          whole.Read
	AsTyped       string // of the total
	Instrument    string
	AccuracyVolts float64
	RestMinutes   float64
	TempC         *float64
	Token         string
}

// RecordReads keeps sittings in which not every group was read, all or none, each with what it says all the same: that
// its groups were not read stays in sight, and no survey is on record by it. errs says what is wrong with which, by
// index; save false keeps none.
func (s *Room) RecordReads(ctx context.Context, list []ReadInput, token string, save bool) (errs map[int]string,
	err error) {
	if !save {
		token = ""
	}
	errs = map[int]string{}
	err = s.Action(ctx, token, "read", func(tx *gorm.DB) error {
		for i, in := range list {
			in.Token = token
			err := s.recordRead(tx, in)
			var inv *kernel.Invalid
			var nf *kernel.NotFound
			var blk *kernel.Blocked
			switch {
			case err == nil:
			case errors.As(err, &inv), errors.As(err, &nf), errors.As(err, &blk):
				errs[i] = err.Error()
			default:
				return err
			}
		}
		if len(errs) > 0 || !save {
			return errPreview
		}
		return nil
	})
	if errors.Is(err, errPreview) {
		err = nil
	}
	return errs, err
}

func (s *Room) recordRead(tx *gorm.DB, in ReadInput) error {
	m, err := kernel.ModuleByNumber(tx, in.Number)
	if err != nil {
		return err
	}
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return err
	}
	if err := s.Record.May(tx, m, t, passage.Measure); err != nil {
		return err
	}
	lay, ok, err := record.LayoutFor(tx, m, t)
	if err != nil {
		return err
	}
	if !ok {
		return kernel.Bad("", "%s has no layout yet: map one module of this type first", t.Name)
	}
	judged, err := record.JudgeInPart(m, t, lay.Series, in.What, in.RestMinutes, in.AccuracyVolts)
	var slip *whole.SlipError
	if errors.As(err, &slip) {
		return kernel.Bad(slip.Field, "%s", slip.Text)
	}
	if err != nil {
		return err
	}
	row := store.ModuleRead{ModuleID: m.ID, TakenBy: kernel.Acts(tx), TakenAt: s.Now(), Instrument: in.Instrument,
		AccuracyVolts: in.AccuracyVolts, RestMinutes: in.RestMinutes, TempC: in.TempC, Part: store.JSONOf(in.What),
		AsTyped: in.AsTyped, Token: in.Token}
	if err := tx.Create(&row).Error; err != nil {
		return err
	}
	return s.Log(tx, "survey", kernel.About{Module: m.ID}, "Read in part: %s", judged.Text)
}

// LastRead is a module's newest sitting in part, nil for none that counts.
func (s *Room) LastRead(ctx context.Context, m store.Module, t store.ModuleType) (*record.ReadInPart, error) {
	r, ok, err := record.LastRead(s.Store.DB.WithContext(ctx), m, t)
	if err != nil || !ok {
		return nil, err
	}
	return &r, nil
}
