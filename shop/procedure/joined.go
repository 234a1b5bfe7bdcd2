package procedure

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/station"
	"pandrel/core/procedure/standing"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/steps"
	"pandrel/store"
)

// Joined is another bank on the same bars, or one that is to be: designed as a further string, or standing as well.
// Since is the record that closed it onto them, 0 where none says when.
type Joined struct {
	Bank      store.Bank
	InService bool
	Since     int64
}

// Key is the step that closes it.
func (j Joined) Key() string { return standing.JoinKey(j.Bank.ID) }

// before reports whether it was on the bars already when a round began with that record; 0 is a round that has none.
func (j Joined) before(round int64) bool { return j.InService && (round == 0 || j.Since < round) }

// joinedTo lists the banks that were designed as further strings of a standing bank, those in service first, and those
// that stand and are to be on the same bars.
func joinedTo(db *gorm.DB, id int64) (out []Joined, err error) {
	var banks []store.Bank
	if err := db.Where("json_extract(nullif(need, ''), '$.Beside.ID') = ?", id).Order("station <> " +
		"'keep', id").Find(&banks).Error; err != nil {
		return nil, err
	}
	for _, b := range banks {
		j := Joined{Bank: b, InService: b.Station == station.Keep}
		err := record.Counting(db, "step_records").Where("kind = ? AND subject_id = ? AND step = 'join' AND (ok OR "+
			"override <> '')", Bank, b.ID).Select("coalesce(min(id), 0)").Scan(&j.Since).Error
		if err != nil {
			return nil, err
		}
		out = append(out, j)
	}
	stand, err := standTogether(db, id)
	return append(out, stand...), err
}

// pair is two banks that stand on the same bars, or are to; Since as in Joined.
type pair struct{ A, B, Since int64 }

// reach are the banks that pairs lead to from one, by their number, with the record after which all of the way there is
// closed.
func reach(from int64, pairs []pair) map[int64]int64 {
	out := map[int64]int64{from: 0}
	for range pairs { // a way has at most as many steps
		for _, p := range pairs {
			for _, x := range [][2]int64{{p.A, p.B}, {p.B, p.A}} {
				if at, ok := out[x[0]]; ok {
					since := max(at, p.Since)
					if was, known := out[x[1]]; !known || since < was {
						out[x[1]] = since
					}
				}
			}
		}
	}
	delete(out, from)
	return out
}

// standTogether are the banks that stand which are joined to one, or are to be, also by way of others.
func standTogether(db *gorm.DB, id int64) (out []Joined, err error) {
	var wanted []pair
	if err := db.Raw("SELECT b.id AS a, j.value AS b FROM banks b, json_each(json_extract(nullif(b.opened, ''), " +
		"'$.Joins')) j").Scan(&wanted).Error; err != nil || len(wanted) == 0 {
		return nil, err
	}
	to := reach(id, wanted)
	ids := []int64{id}
	for other := range to {
		ids = append(ids, other)
	}
	closed, err := closings(db, ids)
	if err != nil {
		return nil, err
	}
	at := reach(id, closed)
	var banks []store.Bank
	if err := db.Where("id IN ? AND id <> ?", ids, id).Order("id").Find(&banks).Error; err != nil {
		return nil, err
	}
	for _, b := range banks {
		since, is := at[b.ID]
		out = append(out, Joined{b, is, since})
	}
	return out, nil
}

// closings are the pairs of these banks whose two totals were read, on the page of either: they passed, or somebody
// went on all the same.
func closings(db *gorm.DB, ids []int64) (out []pair, err error) {
	var rows []store.StepRecord
	err = record.Counting(db, "step_records").Where("kind = ? AND subject_id IN ? AND (ok OR override <> '') AND "+
		"(step LIKE 'joined-%' OR step LIKE ?)", Standing, ids, oldJoin+"%").Order("id").Find(&rows).Error
	for _, r := range rows {
		var other int64
		if _, err := fmt.Sscanf(r.Step, "joined-%d", &other); err == nil {
			out = append(out, pair{r.SubjectID, other, r.ID})
			continue
		}
		for _, other := range ids { // the older steps do not say which
			if other != r.SubjectID {
				out = append(out, pair{r.SubjectID, other, r.ID})
			}
		}
	}
	return out, err
}

// oldJoin begins the keys by which these steps were recorded when they were counted in the order of the page.
const oldJoin = "beside-in"

// beside tells the banks that were on the same bars when the round began from those that are closed onto them on its
// way back. A round whose steps have the older keys keeps them.
func (v *StandingView) beside(records []steps.Record) {
	var began int64
	if len(records) > 0 {
		began = records[0].ID
	}
	old := slices.ContainsFunc(records, func(r steps.Record) bool { return strings.HasPrefix(r.Step, oldJoin) })
	v.Bank.Beside, v.Bank.ToJoin = nil, nil
	for _, j := range v.Joined {
		o := standing.Other{Name: j.Bank.Name, Key: j.Key()}
		if n := len(v.Bank.Beside) + len(v.Bank.ToJoin); old && n == 0 {
			o.Key = oldJoin
		} else if old {
			o.Key = fmt.Sprintf("%s-%d", oldJoin, n+1)
		}
		switch {
		case j.before(began):
			v.Bank.Beside = append(v.Bank.Beside, o)
		case j.Bank.Origin == store.Stands:
			v.Bank.ToJoin = append(v.Bank.ToJoin, o)
		}
	}
}

// MayJoin lists the banks that stand which could be joined to one: as many groups of the same chemistry.
func (s *Room) MayJoin(ctx context.Context, v StandingView) (out []store.Bank, err error) {
	if v.Standing.Origin != store.Stands || !v.Cells.Known() || v.Cells.Chemistry == "" {
		return nil, nil
	}
	all, err := s.OfOrigin(ctx, store.Stands)
	for _, b := range all {
		joined := slices.ContainsFunc(v.Joined, func(j Joined) bool { return j.Bank.ID == b.ID })
		c, err := b.Cells.Get()
		if err != nil {
			return nil, err
		}
		if b.ID != v.Standing.ID && !joined && c.Series == v.Cells.Series && c.Chemistry == v.Cells.Chemistry {
			out = append(out, b)
		}
	}
	return out, err
}

// Join writes down that a bank that stands is to be on the same bars as another one. Its two totals are a step on the
// way back into work.
func (s *Room) Join(ctx context.Context, id, other int64, token string) error {
	v, err := s.StandingByID(ctx, id)
	if err != nil {
		return err
	}
	may, err := s.MayJoin(ctx, v)
	if err != nil {
		return err
	}
	k := slices.IndexFunc(may, func(b store.Bank) bool { return b.ID == other })
	if k < 0 {
		return kernel.Bad("other", "expected a bank that stands, with as many groups of the same chemistry")
	}
	if fs := standing.OfGroups(v.Holds); len(fs) > 0 {
		return kernel.Stopped(fs)
	}
	return s.Action(ctx, token, "join", func(tx *gorm.DB) error {
		b := v.Bank
		b.Joins = append(slices.Clone(b.Joins), other)
		res := tx.Model(&store.Bank{}).Where("id = ? AND version = ?", id, v.Standing.Version).Updates(map[string]any{
			"opened": store.JSONOf(b), "version": v.Standing.Version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			return &kernel.Conflict{What: v.Standing.Name, Version: v.Standing.Version, Saved: map[string]string{}}
		}
		return s.Log(tx, "service", kernel.About{Bank: id}, "%s is to be joined to %s", may[k].Name, v.Standing.Name)
	})
}
