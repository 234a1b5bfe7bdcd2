package desk

import (
	"context"
	"encoding/json"
	"time"

	"pandrel/core/test/kind"
	"pandrel/core/test/logview"
	"pandrel/core/test/trace"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// ModuleCurve is the discharge of a module that counts, to be laid over those of its siblings.
type ModuleCurve struct {
	Number  string
	LogID   int64
	Ah      float64
	Result  trace.Result
	Thin    logview.Thin
	Series  int
	TakenAt time.Time
}

// CurvesOfType are the logged discharges of a type's modules, one each: the first complete one, else the newest.
func (s *Room) CurvesOfType(ctx context.Context, typeID int64) ([]ModuleCurve, error) {
	db := s.Store.DB.WithContext(ctx)
	t, err := kernel.TypeByID(db, typeID)
	if err != nil {
		return nil, err
	}
	var rows []struct {
		store.Test
		Gave store.JSON[json.RawMessage]
	}
	if err := db.Raw("SELECT t.* FROM counting_tests t JOIN modules m ON m.id = t.module_id WHERE m.type_id = ? AND "+
		"t.from_group = 0 AND t.sha256 IS NOT NULL ORDER BY m.number, t.id LIMIT 2000", typeID).
		Scan(&rows).Error; err != nil {
		return nil, err
	}
	best := map[int64]ModuleCurve{}
	var order []int64
	for _, x := range rows {
		r, err := store.Read[kind.Logged](x.Gave)
		if err != nil {
			return nil, err
		}
		if r.Capacity == nil {
			continue
		}
		old, seen := best[x.ModuleID]
		if !seen {
			order = append(order, x.ModuleID)
		} else if old.Result.Capacity.Complete {
			continue
		}
		best[x.ModuleID] = ModuleCurve{LogID: x.ID, Ah: r.Capacity.Ah, Result: r, TakenAt: x.At}
	}
	var out []ModuleCurve
	for _, id := range order {
		m, err := kernel.ByID[store.Module](db, id, "module")
		if err != nil {
			return nil, err
		}
		lay, _, err := record.LayoutFor(db, m, t)
		if err != nil {
			return nil, err
		}
		c := best[id]
		c.Number, c.Series = m.Number, max(1, lay.Series)
		if c.Thin, err = s.Tests.ThinOf(ctx, c.LogID); err != nil {
			return nil, err
		}
		out = append(out, c)
	}
	return out, nil
}
