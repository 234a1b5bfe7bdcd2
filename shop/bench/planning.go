package bench

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/numeral"
	"pandrel/core/bench/kit"
	"pandrel/core/bench/schedule"
	"pandrel/core/module/layout"
	"pandrel/core/module/passage"
	"pandrel/core/test/testplan"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// Kit is what stands on the bench; own is false where nobody has written it down, and the small made-up set stands
// for it.
func (s *Room) Kit(ctx context.Context) (k kit.Kit, own bool, err error) {
	row, ok, err := kernel.Find[store.BenchKit](s.Store.DB.WithContext(ctx).Order("id DESC"))
	if err != nil || !ok {
		return kit.Small(), false, err
	}
	k, err = row.Kit.Get()
	return k, true, err
}

// SaveKit writes the bench down anew; what stood there before stays on record.
func (s *Room) SaveKit(ctx context.Context, k kit.Kit, token string) error {
	if field, text := k.Check(); field != "" {
		return kernel.Bad(field, "%s", text)
	}
	return s.Action(ctx, token, "kit", func(tx *gorm.DB) error {
		row := store.BenchKit{Kit: store.JSONOf(k), By: kernel.Who(ctx), At: s.Now(), Token: token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return s.Log(tx, "bench", kernel.About{}, "Bench written down: %d devices", len(k.Devices))
	})
}

// Pin holds a waiting module to a channel; "" lets it go.
func (s *Room) Pin(ctx context.Context, number, channel, token string) error {
	return s.Action(ctx, token, "pin", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, number)
		if errors.As(err, new(*kernel.NotFound)) {
			return kernel.Bad("number", "there is no module %q: expected a number that is on a label", number)
		}
		if err != nil {
			return err
		}
		if err := tx.Where("module_id = ?", m.ID).Delete(&store.BenchPin{}).Error; err != nil || channel == "" {
			return err
		}
		k, _, err := s.Kit(ctx)
		if err != nil {
			return err
		}
		if !slices.Contains(Channels(k), channel) {
			return kernel.Bad("channel", "%q is no channel of the bench", channel)
		}
		if err := tx.Create(&store.BenchPin{ModuleID: m.ID, Channel: channel}).Error; err != nil {
			return err
		}
		return s.Log(tx, "bench", kernel.About{Module: m.ID}, "Held to %s for its test", channel)
	})
}

// Channels lists the channels on which a whole test can run, by the name of their charger.
func Channels(k kit.Kit) (out []string) {
	for _, s := range k.Stations() {
		if s.Charger.Channels == 1 {
			out = append(out, s.Charger.Name)
		} else {
			out = append(out, fmt.Sprintf("%s.%d", s.Charger.Name, s.No))
		}
	}
	return out
}

// Planned is a module as the bench needs to know it; why says what is missing, "" for nothing.
func (s *Room) Planned(db *gorm.DB, m store.Module, t store.ModuleType) (x testplan.Module, why string, err error) {
	if t.Chemistry == "" {
		return x, "its type has no declared chemistry: no charge step is planned", nil
	}
	lay, ok, err := record.LayoutFor(db, m, t)
	if err != nil {
		return x, "", err
	}
	if !ok {
		return x, "its type has no layout yet", nil
	}
	x = testplan.Module{Name: m.Number, Chemistry: t.Chemistry, Series: lay.Series, Ah: record.RatedAh(m, t),
		EverBelow: m.EverBelowNever, Monitored: monitored(lay, t)}
	if known, err := record.NewestTest(db, m, t); err != nil {
		return x, "", err
	} else if known.Complete { // a part of a discharge is no measure of how much goes in
		x.Ah = known.CapacityAh
	}
	if x.Ah <= 0 {
		return x, "its rated capacity is not known", nil
	}
	if x.Curve, err = record.CurveOf(t); err != nil {
		return x, "", err
	}
	limits := record.TypeLimits(t)
	x.ChargeLimitA, x.LoadLimitA = limits.ChargeAmps, limits.DischargeAmps
	volts, err := record.LastVolts(db, m.ID)
	for g := 1; g <= len(volts); g++ {
		x.Volts = append(x.Volts, volts[g])
	}
	if err != nil {
		return x, "", err
	}
	if last, ok, err := kernel.Find[store.Survey](record.Counting(db, "surveys").Where("module_id = ?",
		m.ID).Order("taken_at DESC, id DESC")); err != nil {
		return x, "", err
	} else if ok {
		x.TempC, x.AccuracyV, x.RestMinutes = last.TempC, last.AccuracyVolts, last.RestMinutes
	}
	x.Bears = bears(lay, t)
	var blocked *kernel.Blocked
	switch err := s.Record.May(db, m, t, passage.Test); {
	case errors.As(err, &blocked) && len(blocked.Findings) > 0:
		x.Held = strings.TrimSuffix(blocked.Findings[0].Text, ".")
	case err != nil:
		return x, "", err
	}
	return x, "", nil
}

// monitored reports whether every node of a layout has a pin or, on a single group, a post.
func monitored(lay layout.Map, t store.ModuleType) bool {
	if lay.Series == 1 {
		return true
	}
	pins := strings.Fields(t.Pins)
	for _, n := range lay.Nodes {
		if !slices.ContainsFunc(n.Points, func(p string) bool { return slices.Contains(pins, p) }) {
			return false
		}
	}
	return len(lay.Nodes) == lay.Series+1
}

// bears are the nodes between groups that a post reaches: others are pins of the sense connector.
func bears(lay layout.Map, t store.ModuleType) (out []int) {
	posts := strings.Fields(t.Posts)
	for i, g := range lay.Groups {
		if i > 0 && slices.ContainsFunc(g.Negative, func(p string) bool { return slices.Contains(posts, p) }) {
			out = append(out, i)
		}
	}
	return out
}

// PlanOf plans the test of one module on the bench; why says what is missing for it.
func (s *Room) PlanOf(ctx context.Context, m store.Module, t store.ModuleType, device string) (p testplan.Plan,
	why string, err error) {
	return s.planPart(ctx, m, t, device, 0, 0)
}

// Part makes a planned module a part of it: which points its ends are, and whether they bear a current.
func (s *Room) Part(ctx context.Context, x *testplan.Module, m store.Module, t store.ModuleType, from,
	to int) (why string, err error) {
	if from == 0 && to == 0 {
		return "", nil
	}
	if from < 1 || to < from || to > x.Series {
		return fmt.Sprintf("groups %d to %d: expected a part of the %s", from, to, numeral.Count(x.Series, "group")),
			nil
	}
	if x.From, x.To = from, to; from == 1 && to == x.Series {
		x.From, x.To = 0, 0
		return "", nil
	}
	lay, ok, err := s.Record.LayoutFor(ctx, m, t)
	if err != nil || !ok || len(lay.Groups) != x.Series {
		return "", err
	}
	posts := strings.Fields(t.Posts)
	bears := func(points []string) bool {
		return slices.ContainsFunc(points, func(p string) bool { return slices.Contains(posts, p) })
	}
	switch {
	case from > 1 && !bears(lay.Groups[from-1].Negative):
		x.ThinTap = fmt.Sprintf("tap between groups %d and %d", from-1, from)
	case to < x.Series && !bears(lay.Groups[to-1].Positive):
		x.ThinTap = fmt.Sprintf("tap between groups %d and %d", to, to+1)
	}
	return "", nil
}

// PlanPart is the plan of a test of groups from to to alone; why says what is missing for one.
func (s *Room) PlanPart(ctx context.Context, m store.Module, t store.ModuleType, from, to int) (p testplan.Plan,
	why string, err error) {
	return s.planPart(ctx, m, t, "", from, to)
}

func (s *Room) planPart(ctx context.Context, m store.Module, t store.ModuleType, device string, from, to int) (
	p testplan.Plan, why string, err error) {
	x, why, err := s.Planned(s.Store.DB.WithContext(ctx), m, t)
	if err != nil || why != "" {
		return p, why, err
	}
	if why, err = s.Part(ctx, &x, m, t, from, to); err != nil || why != "" {
		return p, why, err
	}
	k, _, err := s.Kit(ctx)
	if err != nil {
		return p, "", err
	}
	p, err = testplan.For(x, k, device)
	return p, "", err
}

// JobOf is a module's test as a job: its hours on each channel that may do it without somebody beside it.
func JobOf(x testplan.Module, k kit.Kit) (j schedule.Job, why string, err error) {
	j = schedule.Job{Name: x.Name, Pin: -1}
	best := -1.0
	type pair struct{ charger, load string }
	plans := map[pair]testplan.Plan{} // channels of one device are alike
	for _, at := range k.Stations() {
		of := pair{at.Charger.Name, at.Load.Name}
		p, ok := plans[of]
		if !ok {
			if p, err = testplan.On(x, k, at); err != nil {
				return j, "", err
			}
			plans[of] = p
		}
		hours := 0.0
		switch {
		case p.Refused:
			if why == "" {
				why = strings.TrimSuffix(p.Findings[0].Text, ".")
			}
		case p.Attended() > 0.01:
			if why == "" {
				why = "somebody has to stay beside it: plan it by hand"
			}
		default:
			hours = p.Hours
		}
		j.Hours = append(j.Hours, hours)
		if hours > 0 && (best < 0 || hours < best) {
			best = hours
			j.Steps = nil
			for _, st := range p.Steps {
				j.Steps = append(j.Steps, schedule.Step{Kind: st.Kind, Hours: st.Hours, KWh: st.KWh})
			}
		}
	}
	if best > 0 {
		why = ""
	}
	return j, why, nil
}
