package bank

import (
	"context"
	"errors"
	"fmt"
	"math"
	"reflect"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/capacity"
	"pandrel/core/module/grade"
	"pandrel/core/module/passage"
	"pandrel/core/module/sense"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// NeedInput makes or changes a bank's need.
type NeedInput struct {
	ID      int64
	Version int
	Name    string
	Client  string
	Need    plan.Need
	Token   string
}

// Need makes a bank from a need inside a transaction.
func (s *Room) Need(tx *gorm.DB, in NeedInput) (b store.Bank, err error) {
	if err := in.check(); err != nil {
		return b, err
	}
	b = store.Bank{Name: in.Name, Client: in.Client, Need: store.JSONOf(in.Need), Station: station.Design,
		StationSince: s.Now(), Version: 1, CreatedAt: s.Now()}
	return b, s.made(tx, &b, in)
}

// made keeps a new bank.
func (s *Room) made(tx *gorm.DB, b *store.Bank, in NeedInput) error {
	if b.Name == "" {
		var err error
		if b.Name, err = FreeName(tx, named(in.Need)); err != nil {
			return err
		}
	}
	if err := kernel.NameFree[store.Bank](tx, "bank", b.Name, 0); err != nil {
		return err
	}
	if err := tx.Create(b).Error; err != nil {
		return err
	}
	return s.Log(tx, "need", kernel.About{Bank: b.ID}, "Need written down%s", forWhom(b.Client))
}

// named is what a bank is called that nobody has named.
func named(n plan.Need) string {
	switch {
	case n.Class > 0:
		return fmt.Sprintf("%d V bank", n.Class)
	case n.ChargeMaxVolts == 0:
		return fmt.Sprintf("Bank of %s", numeral.Count(n.Series, "group"))
	}
	return fmt.Sprintf("Bank up to %.0f V", n.Filled().ChargeMaxVolts)
}

// FreeName is a name for a bank that no other has: the text, or the text with a number.
func FreeName(tx *gorm.DB, text string) (string, error) {
	for n := 1; ; n++ {
		name := text
		if n > 1 {
			name = fmt.Sprintf("%s %d", text, n)
		}
		var k int64
		if err := tx.Model(&store.Bank{}).Where("name = ? COLLATE NOCASE", name).Count(&k).Error; err != nil || k == 0 {
			return name, err
		}
	}
}

// check says what of a need cannot be used.
func (in *NeedInput) check() error {
	c := kernel.Checks{}
	in.Name, in.Client = strings.TrimSpace(in.Name), strings.TrimSpace(in.Client)
	if n := in.Need; n.Class == 0 && n.CutoffVolts == 0 && n.ChargeMaxVolts == 0 && n.Series == 0 {
		c.Need(false, "class", "expected the system, 12, 24, 36 or 48 V, the device's own voltages below, or "+
			"how many groups it is to have")
	} else if _, err := window.Candidates(n.Need, nil); err != nil {
		c.Need(false, "", "%v", err)
	}
	return c.Err()
}

// SaveNeed makes a bank, or changes what is asked of it: of a designed one, too, as far as the design allows it.
func (s *Room) SaveNeed(ctx context.Context, in NeedInput) (store.Bank, error) {
	if err := in.check(); err != nil {
		return store.Bank{}, err
	}
	b := store.Bank{Name: in.Name, Client: in.Client, Need: store.JSONOf(in.Need), Station: station.Design,
		StationSince: s.Now(), Version: 1, CreatedAt: s.Now()}
	err := s.Action(ctx, in.Token, "need", func(tx *gorm.DB) error {
		if in.ID == 0 {
			return s.made(tx, &b, in)
		}
		if b.Name == "" {
			return kernel.Bad("name", "expected a name for the bank")
		}
		if err := kernel.NameFree[store.Bank](tx, "bank", b.Name, in.ID); err != nil {
			return err
		}
		now, err := BankByID(tx, in.ID)
		if err != nil {
			return err
		}
		was, err := now.Need.Get()
		if err != nil {
			return err
		}
		if in.Need.Beside, in.Need.Chemistry = was.Beside, was.Chemistry; was.Beside != nil {
			in.Need.Series = was.Series
		}
		b.Need = store.JSONOf(in.Need)
		to := map[string]any{"name": b.Name, "client": b.Client, "need": b.Need, "version": in.Version + 1}
		if now.Design.Set() {
			d, err := rejudged(tx, in.Need, now)
			if err != nil {
				return err
			}
			to["design"] = store.JSONOf(d)
			anew, err := gatesAnew(tx, now, was, in.Need)
			if err != nil {
				return err
			}
			if anew {
				to["design_version"] = now.DesignVersion + 1
			}
		}
		res := tx.Model(&store.Bank{}).Where("id = ? AND version = ?", in.ID, in.Version).Updates(to)
		if res.Error != nil {
			return res.Error
		}
		if n := was; res.RowsAffected == 0 {
			return &kernel.Conflict{What: "Bank " + now.Name, Version: now.Version,
				Saved: map[string]string{"name": now.Name, "client": now.Client,
					"abs_max_v": record.Plain(n.AbsMaxVolts), "charge_max_v": record.Plain(n.ChargeMaxVolts),
					"cutoff_v": record.Plain(n.CutoffVolts), "start_v": record.Plain(n.StartVolts),
					"load_w": record.Plain(n.LoadWatts), "kwh": record.Plain(n.WantedKWh),
					"charge_a": record.Plain(n.ChargeAmps), "peak_a": record.Plain(n.PeakAmps)}}
		}
		b.ID, b.Version = in.ID, in.Version+1
		return s.Log(tx, "need", kernel.About{Bank: b.ID}, "Need changed")
	})
	return b, err
}

// AnswerFrost writes down whether it can freeze where a bank will stand, also once it is designed: the BMS is
// judged by it from then on.
func (s *Room) AnswerFrost(ctx context.Context, id int64, version int, freezes bool, token string) error {
	return s.Action(ctx, token, "frost", func(tx *gorm.DB) error {
		b, err := BankByID(tx, id)
		if err != nil {
			return err
		}
		n, err := b.Need.Get()
		if err != nil {
			return err
		}
		n.FreezesHere, n.FrostAsked = freezes, true
		res := tx.Model(&store.Bank{}).Where("id = ? AND version = ?", id,
			version).Updates(map[string]any{"need": store.JSONOf(n), "version": version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		return s.Log(tx, "need", kernel.About{Bank: id}, "Asked: can it freeze there? %s", kernel.Yes(freezes))
	})
}

func forWhom(client string) string {
	if client == "" {
		return ""
	}
	return " for " + client
}

// BankByID is a bank that is built here.
func BankByID(db *gorm.DB, id int64) (store.Bank, error) {
	return kernel.Take[store.Bank](db.Where("id = ? AND origin = ?", id, store.Built), kernel.Missing("bank %d", id))
}

// Bank finds a bank with its need and its design, nil where there is none.
func (s *Room) ByID(ctx context.Context, id int64) (store.Bank, plan.Need, *plan.Design, error) {
	b, err := BankByID(s.Store.DB.WithContext(ctx), id)
	if err != nil {
		return b, plan.Need{}, nil, err
	}
	n, err := b.Need.Get()
	if err != nil || !b.Design.Set() {
		return b, n, nil, err
	}
	d, err := b.Design.Get()
	if err != nil {
		return b, n, nil, err
	}
	db := s.Store.DB.WithContext(ctx)
	if err := reestimate(db, &d); err != nil {
		return b, n, nil, err
	}
	if err := declared(db, n, &d); err != nil {
		return b, n, nil, err
	}
	if err := testedWhole(db, b, &d); err != nil {
		return b, n, nil, err
	}
	d.DriftAhDay, err = worstDrift(db, d)
	return b, n, &d, err
}

// declared works out the window of a design that was drawn before its chemistry was declared, and is now.
func declared(db *gorm.DB, n plan.Need, d *plan.Design) error {
	if d.Candidate.Chemistry != "" {
		return nil
	}
	t, err := kernel.TypeByID(db, d.TypeID)
	if err != nil || t.Chemistry == "" {
		return err
	}
	c, ok, err := asDesigned(db, n, *d)
	if ok {
		d.Candidate = c
		d.Recount()
	}
	if errors.As(err, new(*kernel.Invalid)) {
		return nil // a need that fits no chemistry is said on the page of the need
	}
	return err
}

// asDesigned is the way to meet a need that a design is, with the very modules that stand in it; ok is false where it
// is none. A need that cannot be used is an Invalid.
func asDesigned(db *gorm.DB, n plan.Need, d plan.Design) (c window.Candidate, ok bool, err error) {
	was := d.Candidate
	var stocks []window.Stock
	at := map[int64]int{} // by the type's number: it may be called otherwise than when the design was drawn
	for _, p := range d.Places {
		m, err := kernel.ByID[store.Module](db, p.ModuleID, "module")
		if err != nil {
			return c, false, err
		}
		k, seen := at[m.TypeID]
		if !seen {
			t, err := kernel.TypeByID(db, m.TypeID)
			if err != nil {
				return c, false, err
			}
			st, err := emptyStock(db, t)
			if err != nil {
				return c, false, err
			}
			st.Untested, st.Unrated = was.Untested || was.Chemistry == "", len(d.Unrated()) > 0
			k, at[m.TypeID] = len(stocks), len(stocks)
			stocks = append(stocks, st)
		}
		stocks[k].Modules = append(stocks[k].Modules, window.Module{Name: p.Number, CapacityAh: p.CapacityAh,
			LowAh: p.LowAh, HighAh: p.HighAh, From: p.Ah().From(), ResistanceMOhm: p.MOhm})
	}
	need := n.Need
	need.WantedKWh = 0
	list, err := window.Candidates(need, stocks)
	if err != nil {
		return c, false, kernel.Bad("", "%v", err)
	}
	for _, x := range list {
		if x.Series == was.Series && x.Parallel == was.Parallel && len(x.Types) == len(was.Types) {
			x.ReachesWanted = x.UsableKWh >= n.WantedKWh
			return x, true, nil
		}
	}
	return c, false, nil
}

// gatesAnew reports whether gates that were passed of a bank count no more because something else is asked of it now: a
// trip below the device that was read back was read for the other device.
func gatesAnew(tx *gorm.DB, b store.Bank, was, n plan.Need) (bool, error) {
	if reflect.DeepEqual(was, n) {
		return false, nil
	}
	var passed int64
	err := record.Counting(tx, "step_records").Where("kind = ? AND subject_id = ? AND version = ?", "bank", b.ID,
		b.DesignVersion).Count(&passed).Error
	return passed > 0, err
}

// rejudged is a design under another need: what was worked out with it is worked out anew, and the modules stay where
// they are. It is an error where the need would not have allowed it.
func rejudged(tx *gorm.DB, n plan.Need, b store.Bank) (d plan.Design, err error) {
	if b.Station != station.Wire {
		return d, kernel.Bad("", "%s is in service: take it out before changing what is asked of it", b.Name)
	}
	if d, err = b.Design.Get(); err != nil {
		return d, err
	}
	if err := reestimate(tx, &d); err != nil {
		return d, err
	}
	c, ok, err := asDesigned(tx, n, d)
	switch {
	case err != nil:
		return d, err
	case !ok:
		return d, kernel.Bad("", "as it is designed, %s is no way to meet this: take the design back first", b.Name)
	case c.Refused:
		return d, kernel.Stopped(c.Findings)
	}
	d.Candidate = c
	d.Recount()
	return d, nil
}

// testedWhole sets what the bank gave in its newest whole test since it was designed.
func testedWhole(db *gorm.DB, b store.Bank, d *plan.Design) error {
	since, err := time.Parse(time.RFC3339, d.DesignedAt)
	if err != nil {
		return nil // a design without a time is of before there were such tests
	}
	list, err := record.OfBank(db, b.ID)
	for _, x := range list {
		if x.Complete && !x.At.Before(since) {
			d.Tested(x.CapacityAh, x.EnergyWh)
			break
		}
	}
	return err
}

// reestimate brings what is known of a design's modules up to date: what was measured since counts at once, and what
// was taken back since counts no more, also where the design rests on it.
func reestimate(db *gorm.DB, d *plan.Design) error {
	var mods []store.Module
	ids := make([]int64, len(d.Places))
	for i, p := range d.Places {
		ids[i] = p.ModuleID
	}
	if err := db.Where("id IN ?", ids).Find(&mods).Error; err != nil {
		return err
	}
	byID := map[int64]store.Module{}
	var open []store.Module // whose figure is no graded one
	for _, m := range mods {
		byID[m.ID] = m
		if m.Fitness != grade.Accept {
			open = append(open, m)
		}
	}
	known, err := record.EstimatesByID(db, open)
	if err != nil {
		return err
	}
	volts, err := record.LastVoltsOf(db, ids)
	if err != nil {
		return err
	}
	ends, err := record.EndsOf(db, ids)
	if err != nil {
		return err
	}
	changed := false
	for i := range d.Places {
		p := &d.Places[i]
		m, ok := byID[p.ModuleID]
		if !ok {
			continue
		}
		now := placedAs(m, known[m.ID])
		changed = changed || now.CapacityAh != p.CapacityAh || now.LowAh != p.LowAh || now.HighAh != p.HighAh
		p.CapacityAh, p.LowAh, p.HighAh, p.Basis, p.MOhm = now.CapacityAh, now.LowAh, now.HighAh, now.Basis, now.MOhm
		p.Volts, p.EndsV = volts[m.ID], ends[m.ID]
	}
	if changed {
		d.Recount()
	}
	return nil
}

// places looks up the matched modules with what they hold and their newest voltages.
func places(tx *gorm.DB, d plan.Design) ([]plan.Place, error) {
	out := d.Numbers()
	mods := make([]store.Module, len(out))
	for i := range out {
		var err error
		if mods[i], err = kernel.ModuleByNumber(tx, out[i].Number); err != nil {
			return nil, err
		}
	}
	known, err := record.EstimatesByID(tx, mods)
	if err != nil {
		return nil, err
	}
	for i, m := range mods {
		p, err := placed(tx, m, known[m.ID])
		if err != nil {
			return nil, err
		}
		p.Position, p.Mate = out[i].Position, out[i].Mate
		if m.TypeID != d.TypeID {
			p.TypeID = m.TypeID
		}
		out[i] = p
	}
	return out, nil
}

// Placed is a module as it goes into a design, with its newest voltages.
func Placed(tx *gorm.DB, m store.Module) (plan.Place, error) {
	known, err := record.EstimatesByID(tx, []store.Module{m})
	if err != nil {
		return plan.Place{}, err
	}
	return placed(tx, m, known[m.ID])
}

func placed(tx *gorm.DB, m store.Module, e record.Estimated) (plan.Place, error) {
	p := placedAs(m, e)
	last, err := record.LastVolts(tx, m.ID)
	for g := 1; g <= len(last); g++ {
		p.Volts = append(p.Volts, last[g])
	}
	return p, err
}

// placedAs is a module's place by what it holds, without its volts.
func placedAs(m store.Module, e record.Estimated) plan.Place {
	p := plan.Place{ModuleID: m.ID, Number: m.Number, CapacityAh: m.CapacityAh, MOhm: m.ResistanceMohm,
		Basis: capacity.Measured}
	if m.Fitness != grade.Accept && e.Known { // a graded one counts as it was graded
		p.CapacityAh, p.LowAh, p.HighAh, p.Basis = e.LikelyAh, e.LowAh, e.HighAh, e.Basis
	}
	return p
}

// UndoDesign gives the modules back to the stock. It is not possible once the bank is in service.
func (s *Room) UndoDesign(ctx context.Context, bankID int64, version int, token string) error {
	return s.Action(ctx, token, "undo-design", func(tx *gorm.DB) error {
		b, err := BankByID(tx, bankID)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		return s.undoDesign(tx, b)
	})
}

func (s *Room) undoDesign(tx *gorm.DB, b store.Bank) error {
	if b.Station == station.Keep {
		return kernel.Bad("", "%s is in service: it cannot be taken back to the drawing", b.Name)
	}
	if err := tx.Model(&store.Module{}).Where("bank_id = ?", b.ID).Updates(map[string]any{"bank_id": nil,
		"bank_doubt": "", "allowed": "", "station": station.Design, "station_since": s.Now()}).Error; err != nil {
		return err
	}
	if err := s.sendBack(tx, b.ID, b); err != nil {
		return err
	}
	if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": "", "bms": "",
		"device": "", "station": station.Design, "station_since": s.Now(), "design_version": b.DesignVersion + 1,
		"drawing_id": nil, "built_by_id": nil, "design_token": "", "version": b.Version + 1}).Error; err != nil {
		return err
	}
	return s.Log(tx, "design", kernel.About{Bank: b.ID}, "Design taken back, modules returned to the stock")
}

// designOf is the bank whose design a form made a moment ago.
func designOf(db *gorm.DB, saved string, since time.Time) (store.Bank, bool, error) {
	return kernel.Find[store.Bank](db.Where("design_token = ? AND design <> '' AND EXISTS (SELECT 1 FROM submissions "+
		"x WHERE x.token = banks.design_token AND x.at >= ?)", saved, since))
}

// MayUndo says which design a form made within the time in which it may be taken back.
func (s *Room) MayUndo(db *gorm.DB, saved string, since time.Time) (string, error) {
	b, ok, err := designOf(db, saved, since)
	if err != nil || !ok || b.Station == station.Keep {
		return "", err
	}
	return "design of " + b.Name, nil
}

// Undo takes that design back.
func (s *Room) Undo(tx *gorm.DB, saved string, since time.Time) error {
	b, ok, err := designOf(tx, saved, since)
	if err != nil || !ok {
		return err
	}
	return s.undoDesign(tx, b)
}

// worstDrift is the fastest fall of a group in a design against its siblings, Ah a day, from the newest
// survey of each module; 0 where none is known.
func worstDrift(db *gorm.DB, d plan.Design) (float64, error) {
	worst := 0.0
	for _, p := range d.Places {
		r, _, ok, err := record.LastSurvey(db, p.ModuleID)
		if err != nil {
			return 0, err
		}
		if !ok {
			continue
		}
		for _, g := range r.Groups {
			if g.Drift != nil {
				worst = max(worst, survey.LossAhDay(*g.Drift, p.CapacityAh))
			}
		}
	}
	return worst, nil
}

// PlanWiring makes the netlist of a design and checks it. Power goes through posts, sense leads to
// connector pins where the layout has them.
func (s *Room) PlanWiring(ctx context.Context, b store.Bank, n plan.Need, d plan.Design) (plan.Wiring, error) {
	row, err := s.Type(ctx, d.TypeID)
	if err != nil {
		return plan.Wiring{}, err
	}
	in := plan.Situation{Need: n}
	if in.Layout, _, err = s.Record.LayoutOf(ctx, row); err != nil {
		return plan.Wiring{}, err
	}
	if in.Device, _, err = s.DeviceOf(ctx, b); err != nil {
		return plan.Wiring{}, err
	}
	if in.Stale, err = s.refresh(ctx, &d); err != nil {
		return plan.Wiring{}, err
	}
	in.Design = d
	if in.Type, err = record.PlanType(row); err != nil {
		return plan.Wiring{}, err
	}
	if in.Parts, err = b.Parts.Get(); err != nil {
		return plan.Wiring{}, err
	}
	if b.BuiltByID != nil {
		if in.Drawn, in.Shapes, err = s.builtBy(ctx, b, d); err != nil {
			return plan.Wiring{}, err
		}
	}
	return plan.CheckWiring(in)
}

// refresh puts the newest surveyed voltages into the design's places, and returns the modules
// that were tested after their newest survey.
func (s *Room) refresh(ctx context.Context, d *plan.Design) (stale []string, err error) {
	db := s.Store.DB.WithContext(ctx)
	d.Places = slices.Clone(d.Places)
	for i := range d.Places {
		p := &d.Places[i]
		last, err := record.LastVolts(db, p.ModuleID)
		if err != nil {
			return nil, err
		}
		m, ok, err := kernel.Find[store.Module](db.Where("id = ?", p.ModuleID))
		if err != nil {
			return nil, err
		}
		if ok {
			t, err := kernel.TypeByID(db, m.TypeID)
			if err != nil {
				return nil, err
			}
			if p.TypeID != 0 && p.TypeID != d.TypeID {
				if err := foreign(db, p, t); err != nil {
					return nil, err
				}
			}
			lay, mapped, err := record.OwnMap(db, m, t)
			if err != nil {
				return nil, err
			}
			if mapped {
				p.Dead = lay.Floating
			}
		}
		if ok && m.LayoutID != nil {
			own, _, err := record.LayoutFor(db, m, store.ModuleType{})
			if err != nil {
				return nil, err
			}
			p.Layout = &own
		}
		if len(last) > 0 && (len(last) == len(p.Volts) || len(p.Volts) == 0) {
			p.Volts = make([]float64, len(last))
			for g := range p.Volts {
				p.Volts[g] = last[g+1]
			}
		}
		var tested int64
		err = db.Raw(`SELECT count(*) FROM charge_moved WHERE module_id = ? AND at > (SELECT max(taken_at) FROM
			counting_surveys WHERE module_id = ?)`, p.ModuleID, p.ModuleID).Scan(&tested).Error
		if err != nil {
			return nil, err
		}
		if tested > 0 {
			stale = append(stale, p.Number)
		}
	}
	return stale, nil
}

// SaveParts keeps the ratings of what a bank is built with.
func (s *Room) SaveParts(ctx context.Context, bankID int64, version int, in plan.Parts, token string) error {
	c := kernel.Checks{}
	for _, f := range in.Bounds() {
		c.Need(f.Value >= 0 && f.Value <= f.Most, f.Field, "expected %s, 0 where it is not known", f.What)
	}
	if err := c.Err(); err != nil {
		return err
	}
	return s.Action(ctx, token, "parts", func(tx *gorm.DB) error {
		b, err := BankByID(tx, bankID)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"parts": store.JSONOf(in),
			"version": b.Version + 1}).Error; err != nil {
			return err
		}
		return s.Log(tx, "parts", kernel.About{Bank: b.ID}, "Ratings of parts written down")
	})
}

// PartsOf returns the ratings on record of a bank.
func PartsOf(b store.Bank) plan.Parts {
	p, err := b.Parts.Get()
	if err != nil {
		return plan.Parts{}
	}
	return p
}

// SettingsSheet fills in the settings of a bank's BMS.
func (s *Room) SettingsSheet(ctx context.Context, b store.Bank, n plan.Need, d plan.Design) (bms.Device,
	[]bms.Setting, error) {
	dev, ok, err := s.DeviceOf(ctx, b)
	if err != nil || !ok {
		return dev, nil, err
	}
	row, err := s.Type(ctx, d.TypeID)
	if err != nil {
		return dev, nil, err
	}
	t, err := record.PlanType(row)
	if err != nil {
		return dev, nil, err
	}
	if d.Candidate.Chemistry == "" { // each line of the sheet is the chemistry's
		return dev, nil, nil
	}
	p := d.BMSPlan(n, t)
	p.Boards = d.Boards(dev)
	rows, err := bms.Settings(dev, p)
	return dev, rows, err
}

// SenseInput is the leads of one BMS measured against the main negative.
type SenseInput struct {
	BankID     int64
	BMS        string
	Volts      []record.TypedVolts // Group is the input number here
	TopToZero  *float64            // the top lead against the end of lead 0, nil where it was not read
	Instrument string
	Accuracy   float64
	Token      string
}

// RecordSense keeps the readings and their verdict.
func (s *Room) RecordSense(ctx context.Context, in SenseInput) (v sense.Verdict, err error) {
	b, n, d, expected, err := s.senseTable(ctx, in.BankID, in.BMS)
	if err != nil {
		return v, err
	}
	if v, err = in.Judged(expected); err != nil {
		return v, err
	}
	err = s.Action(ctx, in.Token, "sense", func(tx *gorm.DB) error {
		if err := s.BankMay(tx, b.ID, passage.Build); err != nil {
			return err
		}
		if err := record.BankPeopleStand(tx, b, d.Candidate.FullVolts, limits.TouchVolts(n.WetPlace)); err != nil {
			return err
		}
		return s.KeepSense(tx, b, in, v)
	})
	return v, err
}

// senseTable is a designed bank with what the leads of one of its BMS must read.
func (s *Room) senseTable(ctx context.Context, id int64, bms string) (b store.Bank, n plan.Need, d *plan.Design,
	expected []float64, err error) {
	if b, n, d, err = s.ByID(ctx, id); err != nil {
		return b, n, d, nil, err
	}
	if d == nil {
		return b, n, d, nil, kernel.Bad("", "design the bank first")
	}
	w, err := s.PlanWiring(ctx, b, n, *d)
	if err != nil {
		return b, n, d, nil, err
	}
	if expected = w.Expected[bms]; len(expected) == 0 {
		return b, n, d, nil, kernel.Bad("", "choose a BMS first: there is no sense table for %q", bms)
	}
	return b, n, d, expected, nil
}

// Expected is what each lead of a BMS must read against the main negative, input 0 first; NaN for one without a lead.
func (s *Room) Expected(ctx context.Context, id int64, bms string) ([]float64, error) {
	_, _, _, expected, err := s.senseTable(ctx, id, bms)
	return expected, err
}

// KeepSense keeps readings of the sense leads of a bank with their verdict.
func (s *Room) KeepSense(tx *gorm.DB, b store.Bank, in SenseInput, v sense.Verdict) error {
	row := store.SenseCheck{BankID: b.ID, TakenBy: kernel.Acts(tx), TakenAt: s.Now(), BMS: in.BMS,
		Instrument: in.Instrument, AccuracyVolts: in.Accuracy, TopVolts: in.TopToZero, DesignVersion: b.DesignVersion,
		Verdict: store.JSONOf(v), Token: in.Token}
	if err := tx.Create(&row).Error; err != nil {
		return err
	}
	rows := make([]store.SenseReading, len(in.Volts))
	for i, x := range in.Volts {
		rows[i] = store.SenseReading{CheckID: row.ID, Input: x.Group, Volts: x.Volts, AsTyped: x.AsTyped}
	}
	if err := tx.Create(&rows).Error; err != nil {
		return err
	}
	return s.Log(tx, "sense", kernel.About{Bank: b.ID}, "Sense leads of %s measured: %s", in.BMS, v.Kind)
}

// Judged compares the leads with what they must read: every lead is measured, by a meter that can tell neighbours
// apart.
func (in SenseInput) Judged(expected []float64) (v sense.Verdict, err error) {
	c := kernel.Checks{}
	for i, e := range expected {
		read := slices.ContainsFunc(in.Volts, func(x record.TypedVolts) bool { return x.Group == i })
		c.Need(math.IsNaN(e) || read, fmt.Sprintf("s%d", i),
			"expected the voltage of lead %d: every lead is measured", i)
	}
	if err := c.Err(); err != nil {
		return v, err
	}
	if most := sense.CoarsestVolts(expected); in.Accuracy > most {
		return v, kernel.Bad("accuracy_mv", "a meter that can be %.0f mV wrong cannot tell neighbouring leads "+
			"apart: expected at most %.0f mV", in.Accuracy*1000, most*1000)
	}
	if v, err = sense.JudgeLeads(in.BMS, expected, in.measured(expected), in.Accuracy); err != nil {
		return v, kernel.Bad("", "%v", err)
	}
	return v, nil
}

// SoFar says which of the leads read up to now do not read what they must, and how many are not read yet.
func (in SenseInput) SoFar(expected []float64) (odd []sense.Odd, left int, err error) {
	if odd, left, err = sense.SoFar(in.BMS, expected, in.measured(expected), in.Accuracy); err != nil {
		return nil, 0, kernel.Bad("", "%v", err)
	}
	return odd, left, nil
}

func (in SenseInput) measured(expected []float64) (ms []sense.Measured) {
	for _, x := range in.Volts {
		ms = append(ms, sense.Measured{BMS: in.BMS, Input: x.Group, Volts: x.Volts})
	}
	if in.TopToZero != nil {
		ms = append(ms, sense.Measured{BMS: in.BMS, Input: TopLead(expected), Volts: *in.TopToZero, AgainstZero: true})
	}
	return ms
}

// TopLead is the highest input that has a lead.
func TopLead(expected []float64) (top int) {
	for i, e := range expected {
		if !math.IsNaN(e) {
			top = i
		}
	}
	return top
}

// SenseCheck is a kept measurement with its verdict and readings.
type SenseCheck struct {
	store.SenseCheck
	Judged  sense.Verdict
	Typed   map[int]string
	Current bool // taken on the design as it is now
}

// SenseChecks returns the newest check of each BMS of a bank.
func (s *Room) SenseChecks(ctx context.Context, b store.Bank) (map[string]SenseCheck, error) {
	return SenseChecksIn(s.Store.DB.WithContext(ctx), b)
}

func SenseChecksIn(db *gorm.DB, b store.Bank) (map[string]SenseCheck, error) {
	var rows []store.SenseCheck
	if err := record.Counting(db, "sense_checks").Where("bank_id = ?", b.ID).Order("id").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := map[string]SenseCheck{}
	for _, r := range rows {
		v, err := r.Verdict.Get()
		if err != nil {
			return nil, err
		}
		c := SenseCheck{SenseCheck: r, Judged: v, Typed: map[int]string{}, Current: r.DesignVersion == b.DesignVersion}
		var rs []store.SenseReading
		if err := db.Where("check_id = ?", r.ID).Find(&rs).Error; err != nil {
			return nil, err
		}
		for _, x := range rs {
			c.Typed[x.Input] = x.AsTyped
		}
		out[r.BMS] = c
	}
	return out, nil
}

// BankMay asks for every module of a bank whether it may go on, at this moment.
func (s *Room) BankMay(db *gorm.DB, bankID int64, a passage.Action) error {
	var mods []store.Module
	if err := db.Where("bank_id = ?", bankID).Order("number").Find(&mods).Error; err != nil {
		return err
	}
	var out []finding.Finding
	types := map[int64]store.ModuleType{}
	for _, m := range mods {
		t, ok := types[m.TypeID]
		if !ok {
			var err error
			if t, err = kernel.TypeByID(db, m.TypeID); err != nil {
				return err
			}
			types[m.TypeID] = t
		}
		err := s.Record.May(db, m, t, a)
		if b, ok := err.(*kernel.Blocked); ok {
			out = append(out, b.Findings...)
		} else if err != nil {
			return err
		}
	}
	if len(out) > 0 {
		return kernel.Stopped(finding.Sorted(out))
	}
	return nil
}

// DeleteBank takes a need off the record that was never designed.
func (s *Room) DeleteBank(ctx context.Context, id int64, version int, token string) error {
	return s.Action(ctx, token, "delete", func(tx *gorm.DB) error {
		b, err := BankByID(tx, id)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		if b.DesignVersion > 0 || b.Design.Set() {
			return kernel.Bad("", "%s was designed once: it stays on record", b.Name)
		}
		var pictures int64
		if err := tx.Model(&store.Picture{}).Where("bank_id = ?", id).Count(&pictures).Error; err != nil {
			return err
		}
		if pictures > 0 {
			return kernel.Bad("", "%s has pictures on record: it stays there", b.Name)
		}
		if err := tx.Model(&store.Event{}).Where("bank_id = ?", id).Update("bank_id", nil).Error; err != nil {
			return err
		}
		if err := dropDrawings(tx, id); err != nil {
			return err
		}
		if err := tx.Delete(&store.Bank{}, id).Error; err != nil {
			return err
		}
		return s.Log(tx, "deleted", kernel.About{}, "Need of %s taken off the record: it was never designed", b.Name)
	})
}
