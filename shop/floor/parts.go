package floor

import (
	"context"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	core "pandrel/core/bank/floor"
	"pandrel/core/base/numeral"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// InHand are the counts of parts that the workshop has, by their keys.
func (s *Room) InHand(ctx context.Context) (map[string]int, error) {
	var rows []store.HandPart
	if err := s.Store.DB.WithContext(ctx).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := map[string]int{}
	for _, r := range rows {
		out[r.Key] = r.Count
	}
	return out, nil
}

// HandInput is what somebody counted of the parts of a bank's plan, by their keys; a part that is not named stays as it
// is on record.
type HandInput struct {
	BankID int64
	Counts map[string]int
	Token  string
}

// CountParts keeps how many of its parts are in hand. Only parts of the list as it is now are kept.
func (s *Room) CountParts(ctx context.Context, in HandInput) error {
	v, err := s.Load(ctx, in.BankID)
	if err != nil {
		return err
	}
	listed := map[string]bool{}
	for _, i := range v.State.Parts(v.Units) {
		listed[i.Key()] = true
	}
	return s.Action(ctx, in.Token, "parts-in-hand", func(tx *gorm.DB) error {
		was, err := s.InHand(ctx)
		if err != nil {
			return err
		}
		changed := 0
		for key, n := range in.Counts {
			if !listed[key] {
				return kernel.Bad("", "the list of parts was changed meanwhile: it is shown as it is now, count again")
			}
			if n < 0 || n > 1e6 {
				return kernel.Bad("", "%d in hand: expected 0 to 1 000 000", n)
			}
			if old, ok := was[key]; ok && old == n {
				continue
			}
			row := store.HandPart{Key: key, Count: n, SaidBy: kernel.Acts(tx), SaidAt: s.Now()}
			if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error; err != nil {
				return err
			}
			changed++
		}
		if changed == 0 {
			return nil
		}
		return s.Log(tx, "parts", kernel.About{Bank: in.BankID}, "Parts in hand counted: %s",
			numeral.Count(changed, "line"))
	})
}

// Part is a line of the list of parts with what is in hand of it.
type Part struct {
	core.Item
	Have    int
	Counted bool // somebody said how many are in hand
	Buy     int
}

// PartsOf are the parts of a plan with what is in hand and what is to be bought.
func (s *Room) PartsOf(ctx context.Context, v Drawn) (out []Part, err error) {
	have, err := s.InHand(ctx)
	for _, i := range v.State.Parts(v.Units) {
		n, counted := have[i.Key()]
		out = append(out, Part{i, n, counted, i.Buy(n)})
	}
	return out, err
}
