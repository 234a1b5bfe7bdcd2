package bank

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/match"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/finding"
	"pandrel/core/base/station"
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
	By      string
	Token   string
}

// SaveNeed makes a bank, or changes its need while nothing is designed.
func (s *Room) SaveNeed(ctx context.Context, in NeedInput) (store.Bank, error) {
	c := kernel.Checks{}
	in.Name, in.Client = strings.TrimSpace(in.Name), strings.TrimSpace(in.Client)
	c.Need(in.Name != "", "name", "expected a name for the bank")
	if _, err := window.Candidates(in.Need.Need, nil); err != nil {
		c.Need(false, "", "%v", err)
	}
	if err := c.Err(); err != nil {
		return store.Bank{}, err
	}
	b := store.Bank{Name: in.Name, Client: in.Client, Need: store.JSONOf(in.Need), Station: station.Design,
		StationSince: s.Now(), Version: 1, CreatedAt: s.Now()}
	err := s.Action(ctx, in.Token, "need", func(tx *gorm.DB) error {
		if err := kernel.NameFree[store.Bank](tx, "bank", b.Name, in.ID); err != nil {
			return err
		}
		if in.ID == 0 {
			if err := tx.Create(&b).Error; err != nil {
				return err
			}
			return s.Log(tx, kernel.Initials(in.By), "need", kernel.About{Bank: b.ID}, "Need written down for %s",
				orDash(b.Client))
		}
		now, err := BankByID(tx, in.ID)
		if err != nil {
			return err
		}
		if now.Design.Set() {
			return kernel.Bad("", "%s is designed: take the design back before changing the need", now.Name)
		}
		res := tx.Model(&store.Bank{}).Where("id = ? AND version = ?", in.ID,
			in.Version).Updates(map[string]any{"name": b.Name, "client": b.Client, "need": b.Need,
			"version": in.Version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			n, err := now.Need.Get()
			if err != nil {
				return err
			}
			return &kernel.Conflict{What: "Bank " + now.Name, Version: now.Version,
				Saved: map[string]string{"name": now.Name, "client": now.Client,
					"abs_max_v": record.Plain(n.AbsMaxVolts), "charge_max_v": record.Plain(n.ChargeMaxVolts),
					"cutoff_v": record.Plain(n.CutoffVolts), "start_v": record.Plain(n.StartVolts),
					"load_w": record.Plain(n.LoadWatts), "kwh": record.Plain(n.WantedKWh),
					"charge_a": record.Plain(n.ChargeAmps), "peak_a": record.Plain(n.PeakAmps)}}
		}
		b.ID, b.Version = in.ID, in.Version+1
		return s.Log(tx, kernel.Initials(in.By), "need", kernel.About{Bank: b.ID}, "Need changed")
	})
	return b, err
}

// AnswerFrost writes down whether it can freeze where a bank will stand, also once it is designed: the BMS is
// judged by it from then on.
func (s *Room) AnswerFrost(ctx context.Context, id int64, version int, freezes bool, by, token string) error {
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
		return s.Log(tx, kernel.Initials(by), "need", kernel.About{Bank: id}, "Asked: can it freeze there? %s",
			record.Yes(freezes))
	})
}

func orDash(s string) string {
	if s == "" {
		return "–"
	}
	return s
}

func BankByID(db *gorm.DB, id int64) (store.Bank, error) {
	return kernel.ByID[store.Bank](db, id, "bank")
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
	d.DriftAhDay, err = worstDrift(s.Store.DB.WithContext(ctx), d)
	return b, n, &d, err
}

// Stock returns the graded modules that may go into a bank, by type. Modules of class C, watched,
// are parallel mates only and are left out.
func (s *Room) Stock(ctx context.Context) ([]window.Stock, []store.ModuleType, error) {
	return Stock(s.Store.DB.WithContext(ctx))
}

func Stock(db *gorm.DB) ([]window.Stock, []store.ModuleType, error) {
	var types []store.ModuleType
	if err := db.Where("layout_id IS NOT NULL AND chemistry <> ''").Order("name").Find(&types).Error; err != nil {
		return nil, nil, err
	}
	var out []window.Stock
	for _, t := range types {
		lay, _, err := record.LayoutOf(db, t)
		if err != nil {
			return nil, nil, err
		}
		own, err := record.CurveOf(t)
		if err != nil {
			return nil, nil, err
		}
		st := window.Stock{Type: t.Name, Chemistry: t.Chemistry, Curve: own, Series: lay.Series,
			Limits: record.TypeLimits(t)}
		below := lay.GroupsBelow()
		for k, n := range lay.Nodes[1 : len(lay.Nodes)-1] { // posts in between: halves can be used
			if slices.ContainsFunc(strings.Fields(t.Posts),
				func(p string) bool { return slices.Contains(n.Points, p) }) {
				st.Posts = append(st.Posts, below[k+1])
			}
		}
		var mods []store.Module
		err = db.Where("type_id = ? AND fitness = ? AND bank_id IS NULL AND quarantined = 0 AND hold = '' AND "+
			"capacity_ah > 0", t.ID, grade.Accept).Order("number").Find(&mods).Error
		if err != nil {
			return nil, nil, err
		}
		for _, m := range mods {
			st.Modules = append(st.Modules, window.Module{Name: m.Number, CapacityAh: m.CapacityAh,
				ResistanceMOhm: m.ResistanceMohm})
		}
		out = append(out, st)
	}
	return out, types, nil
}

// Candidates lists the ways to meet a bank's need from the stock.
func (s *Room) Candidates(ctx context.Context, n plan.Need) ([]window.Candidate, error) {
	st, _, err := s.Stock(ctx)
	if err != nil {
		return nil, err
	}
	return window.Candidates(n.Need, st)
}

// Advice answers for every type in stock which series count is right for a need.
func (s *Room) Advice(ctx context.Context, n plan.Need) ([]window.Advice, error) {
	st, _, err := s.Stock(ctx)
	if err != nil {
		return nil, err
	}
	var out []window.Advice
	for _, x := range st {
		if len(x.Modules) == 0 {
			continue
		}
		a, err := window.Advise(n.Need, x)
		if err != nil {
			return nil, err
		}
		out = append(out, a)
	}
	return out, nil
}

// DesignInput chooses a candidate. Pins give a module number a position from 1.
type DesignInput struct {
	BankID   int64
	Version  int
	Type     string
	Series   int
	Parallel int
	Style    match.Style
	By       string
	Token    string
}

// DesignBank matches modules into the chosen candidate and reserves them.
func (s *Room) DesignBank(ctx context.Context, in DesignInput) (d plan.Design, err error) {
	// Matching a large stock may take long: it is done before the transaction, and once more in it only where the data
	// changed meanwhile. The form's own token is one change.
	before := s.Store.Generation()
	early, earlyType, earlyErr := s.matchedFor(ctx, in)
	err = s.Action(ctx, in.Token, "design", func(tx *gorm.DB) error {
		b, err := BankByID(tx, in.BankID)
		if err != nil {
			return err
		}
		if b.Design.Set() || b.Version != in.Version {
			return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		n, err := b.Need.Get()
		if err != nil {
			return err
		}
		var t store.ModuleType
		d, t = early, earlyType
		if err = earlyErr; s.Store.Generation() > before+1 {
			d, t, err = s.matched(tx, in, n)
		}
		if err != nil {
			return err
		}
		for _, pl := range d.Places { // an old grade does not stand for what is known now
			m, err := kernel.ModuleByNumber(tx, pl.Number)
			if err != nil {
				return err
			}
			if err := s.Record.May(tx, m, t, passage.Design); err != nil {
				return err
			}
		}
		return s.reserve(tx, b, in, d)
	})
	return d, err
}

// matchedFor is matched for a bank as it is now.
func (s *Room) matchedFor(ctx context.Context, in DesignInput) (d plan.Design, t store.ModuleType, err error) {
	db := s.Store.DB.WithContext(ctx)
	b, err := BankByID(db, in.BankID)
	if err != nil {
		return d, t, err
	}
	n, err := b.Need.Get()
	if err != nil {
		return d, t, err
	}
	return s.matched(db, in, n)
}

// matched fills the chosen way with modules of the stock, as the stock allows it now.
func (s *Room) matched(tx *gorm.DB, in DesignInput, n plan.Need) (d plan.Design, t store.ModuleType, err error) {
	bad := func(format string, args ...any) (plan.Design, store.ModuleType, error) {
		return d, t, kernel.Bad("", format, args...)
	}
	stocks, types, err := Stock(tx)
	if err != nil {
		return d, t, err
	}
	k := slices.IndexFunc(stocks, func(x window.Stock) bool { return x.Type == in.Type })
	if k < 0 {
		return bad("no graded modules of %s are in stock", in.Type)
	}
	cs, err := window.Candidates(n.Need, stocks[k:k+1])
	if err != nil {
		return bad("%v", err)
	}
	c := slices.IndexFunc(cs, func(x window.Candidate) bool {
		return x.Series == in.Series && x.Parallel == in.Parallel
	})
	if c < 0 {
		return bad("%d groups with %d in parallel is not one of the ways the stock allows now", in.Series, in.Parallel)
	}
	if cs[c].Refused {
		return d, t, kernel.Stopped(cs[c].Findings)
	}
	p := match.Problem{Series: cs[c].ModulesInString, Parallel: in.Parallel, Style: in.Style,
		Seed: uint64(in.BankID)}
	for _, m := range stocks[k].Modules {
		p.Modules = append(p.Modules, match.Module{Name: m.Name, CapacityAh: m.CapacityAh,
			ResistanceMOhm: m.ResistanceMOhm, Type: in.Type})
	}
	res, err := match.Solve(p)
	if err != nil {
		return bad("%v", err)
	}
	d = plan.Matched(types[k].ID, cs[c], in.Style, res)
	d.DesignedBy, d.DesignedAt = kernel.Initials(in.By), s.Now().Format(time.RFC3339)
	d.Places, err = places(tx, d)
	return d, types[k], err
}

// reserve takes the modules of a design out of the stock, and keeps the design with its bank.
func (s *Room) reserve(tx *gorm.DB, b store.Bank, in DesignInput, d plan.Design) error {
	for _, pl := range d.Places {
		if err := tx.Model(&store.Module{}).Where("id = ?", pl.ModuleID).Updates(map[string]any{"bank_id": b.ID,
			"station": station.Wire, "station_since": s.Now()}).Error; err != nil {
			return err
		}
		if err := s.Log(tx, d.DesignedBy, "design", kernel.About{Module: pl.ModuleID, Bank: b.ID},
			"Put into bank %s, position %d", b.Name, pl.Position+1); err != nil {
			return err
		}
	}
	err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": store.JSONOf(d),
		"rules_version": kernel.RulesVersion, "bms": "", "station": station.Wire, "station_since": s.Now(),
		"design_version": b.DesignVersion + 1, "version": b.Version + 1}).Error
	if err != nil {
		return err
	}
	return s.Log(tx, d.DesignedBy, "design", kernel.About{Bank: b.ID},
		"Designed: %d modules of %s, %d groups in series, %d in parallel, %.1f Ah", len(d.Places), in.Type,
		in.Series, in.Parallel, d.Match.CapacityAh)
}

// places looks up the matched modules with their newest voltages.
func places(tx *gorm.DB, d plan.Design) ([]plan.Place, error) {
	out := d.Numbers()
	for i := range out {
		m, err := kernel.ModuleByNumber(tx, out[i].Number)
		if err != nil {
			return nil, err
		}
		p, err := Placed(tx, m)
		if err != nil {
			return nil, err
		}
		p.Position, p.Mate = out[i].Position, out[i].Mate
		out[i] = p
	}
	return out, nil
}

// Placed is a module as it goes into a design, with its newest voltages.
func Placed(tx *gorm.DB, m store.Module) (plan.Place, error) {
	p := plan.Place{ModuleID: m.ID, Number: m.Number, CapacityAh: m.CapacityAh, MOhm: m.ResistanceMohm}
	last, err := record.LastVolts(tx, m.ID)
	for g := 1; g <= len(last); g++ {
		p.Volts = append(p.Volts, last[g])
	}
	return p, err
}

// UndoDesign gives the modules back to the stock. It is not possible once the bank is in service.
func (s *Room) UndoDesign(ctx context.Context, bankID int64, version int, by, token string) error {
	return s.Action(ctx, token, "undo-design", func(tx *gorm.DB) error {
		b, err := BankByID(tx, bankID)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		if b.Station == station.Keep {
			return kernel.Bad("", "%s is in service: it cannot be taken back to the drawing", b.Name)
		}
		if err := tx.Model(&store.Module{}).Where("bank_id = ?", b.ID).Updates(map[string]any{"bank_id": nil,
			"station": station.Design, "station_since": s.Now()}).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": "", "bms": "",
			"station": station.Design, "station_since": s.Now(), "design_version": b.DesignVersion + 1,
			"version": b.Version + 1}).Error; err != nil {
			return err
		}
		return s.Log(tx, kernel.Initials(by), "design", kernel.About{Bank: b.ID},
			"Design taken back, modules returned to the stock")
	})
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

// ChooseBMS sets a bank's BMS. A refused device cannot be chosen.
func (s *Room) ChooseBMS(ctx context.Context, bankID int64, version int, name, by, token string) error {
	return s.Action(ctx, token, "bms", func(tx *gorm.DB) error {
		b, err := BankByID(tx, bankID)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{"bms": b.BMS}}
		}
		n, err := b.Need.Get()
		if err != nil {
			return err
		}
		if !b.Design.Set() {
			return kernel.Bad("", "design the bank before choosing its BMS")
		}
		if b.Station == station.Keep {
			return kernel.Bad("", "%s is in service: take it out of service before its BMS is changed", b.Name)
		}
		d, err := b.Design.Get()
		if err != nil {
			return err
		}
		if d.DriftAhDay, err = worstDrift(tx, d); err != nil {
			return err
		}
		cs, err := d.Choices(n)
		if err != nil {
			return err
		}
		k := slices.IndexFunc(cs, func(c bms.Choice) bool { return c.Device.Name == name })
		if k < 0 {
			return kernel.Bad("bms", "%q is not in the catalogue", name)
		}
		if cs[k].Refused {
			return kernel.Stopped(cs[k].Findings)
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?",
			b.ID).Updates(map[string]any{"bms": name, "design_version": b.DesignVersion + 1,
			"version": b.Version + 1}).Error; err != nil {
			return err
		}
		return s.Log(tx, kernel.Initials(by), "bms", kernel.About{Bank: b.ID}, "BMS chosen: %s", name)
	})
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
	in.Device, _ = bms.Named(b.BMS)
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
	return plan.Check(in)
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
		if len(last) == len(p.Volts) {
			p.Volts = slices.Clone(p.Volts)
			for g := range p.Volts {
				p.Volts[g] = last[g+1]
			}
		}
		var tested int64
		err = db.Raw(`SELECT count(*) FROM (SELECT uploaded_at AS at FROM traces WHERE module_id = ? UNION ALL
			SELECT taken_at FROM hand_results WHERE module_id = ? AND charge_moved = 1)
			WHERE at > (SELECT max(taken_at) FROM surveys WHERE module_id =
			?)`, p.ModuleID, p.ModuleID, p.ModuleID).Scan(&tested).Error
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
func (s *Room) SaveParts(ctx context.Context, bankID int64, version int, in plan.Parts, by, token string) error {
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
		return s.Log(tx, kernel.Initials(by), "parts", kernel.About{Bank: b.ID}, "Ratings of parts written down")
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
	dev, ok := bms.Named(b.BMS)
	if !ok {
		return dev, nil, nil
	}
	row, err := s.Type(ctx, d.TypeID)
	if err != nil {
		return dev, nil, err
	}
	t, err := record.PlanType(row)
	if err != nil {
		return dev, nil, err
	}
	rows, err := bms.Settings(dev, d.BMSPlan(n, t))
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
	By         string
	Token      string
}

// RecordSense keeps the readings and their verdict.
func (s *Room) RecordSense(ctx context.Context, in SenseInput) (v sense.Verdict, err error) {
	b, n, d, err := s.ByID(ctx, in.BankID)
	if err != nil {
		return v, err
	}
	if d == nil {
		return v, kernel.Bad("", "design the bank first")
	}
	w, err := s.PlanWiring(ctx, b, n, *d)
	if err != nil {
		return v, err
	}
	expected := w.Expected[in.BMS]
	if len(expected) == 0 {
		return v, kernel.Bad("", "choose a BMS first: there is no sense table for %q", in.BMS)
	}
	if v, err = in.judge(expected); err != nil {
		return v, err
	}
	err = s.Action(ctx, in.Token, "sense", func(tx *gorm.DB) error {
		if err := s.BankMay(tx, b.ID, passage.Build); err != nil {
			return err
		}
		row := store.SenseCheck{BankID: b.ID, TakenBy: kernel.Initials(in.By), TakenAt: s.Now(), BMS: in.BMS,
			Instrument: in.Instrument, DesignVersion: b.DesignVersion, Verdict: store.JSONOf(v), Token: in.Token}
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
		return s.Log(tx, row.TakenBy, "sense", kernel.About{Bank: b.ID}, "Sense leads of %s measured: %s", in.BMS,
			v.Kind)
	})
	return v, err
}

// judge compares the leads with what they must read: every lead is measured, by a meter that can tell neighbours apart.
func (in SenseInput) judge(expected []float64) (v sense.Verdict, err error) {
	c := kernel.Checks{}
	for i, e := range expected {
		read := slices.ContainsFunc(in.Volts, func(x record.TypedVolts) bool { return x.Group == i })
		c.Need(math.IsNaN(e) || read, fmt.Sprintf("s%d", i),
			"expected the voltage of lead %d: every lead is measured", i)
	}
	if err := c.Err(); err != nil {
		return v, err
	}
	var ms []sense.Measured
	for _, x := range in.Volts {
		ms = append(ms, sense.Measured{BMS: in.BMS, Input: x.Group, Volts: x.Volts})
	}
	if most := sense.CoarsestVolts(expected); in.Accuracy > most {
		return v, kernel.Bad("accuracy_mv", "a meter that can be %.0f mV wrong cannot tell neighbouring leads "+
			"apart: expected at most %.0f mV", in.Accuracy*1000, most*1000)
	}
	if in.TopToZero != nil {
		top := 0
		for i, e := range expected {
			if !math.IsNaN(e) {
				top = i
			}
		}
		ms = append(ms, sense.Measured{BMS: in.BMS, Input: top, Volts: *in.TopToZero, AgainstZero: true})
	}
	if v, err = sense.Judge(in.BMS, expected, ms, in.Accuracy); err != nil {
		return v, kernel.Bad("", "%v", err)
	}
	return v, nil
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
	if err := db.Where("bank_id = ?", b.ID).Order("id").Find(&rows).Error; err != nil {
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
