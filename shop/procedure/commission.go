package procedure

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/bank/plan"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/station"
	"pandrel/core/module/passage"
	"pandrel/core/procedure/assembly"
	"pandrel/core/procedure/commission"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/steps"
	"pandrel/store"
)

// Commission is how far a bank is on its way into service.
type Commission struct {
	Bank    commission.Bank
	States  []gates.State
	Records []steps.Record
	Struck  []store.Strike    // what was taken back of them
	Build   []gates.State     // the steps of its build, nil where nobody began to sign any
	Open    []finding.Finding // what keeps it out of service as things stand, worst first

	work *steps.Work
}

// CommissionOf returns the gates of a designed bank, and all that still keeps it out of service.
func (s *Room) CommissionOf(ctx context.Context, b store.Bank, n plan.Need, d plan.Design, w plan.Wiring) (Commission,
	error) {
	return s.commission(s.Store.DB.WithContext(ctx), b, n, d, w)
}

func (s *Room) commission(db *gorm.DB, b store.Bank, n plan.Need, d plan.Design, w plan.Wiring) (c Commission,
	err error) {
	c.Bank = commission.Bank{FullVolts: w.FullV, TouchVolts: limits.TouchVolts(n.WetPlace), Strings: d.Strings(),
		NowVolts: w.NowVolts(), Cautions: w.Cautions(), FreezesHere: n.FreezesHere, FrostAsked: n.FrostAsked,
		DeviceOpen: n.DeviceOpen()}
	c.Bank.DesignAmps = d.BMSNeed(n).DesignAmps()
	if f, above := n.FullAbove(w.FullV, d.Candidate.TripVolts); above {
		c.Bank.DeviceVolts, c.Bank.TripVolts, c.Bank.ChargeVolts = *f.Limit, d.Candidate.TripVolts,
			d.Candidate.SettingVolts
	}
	if d.Provisional() {
		ah := d.Ah()
		c.Bank.Untested, c.Bank.LowAh, c.Bank.HighAh = len(d.Untested()), ah.Low(), ah.High()
	}
	if n.Beside != nil {
		c.Bank.Beside, c.Bank.JoinVolts, c.Bank.BesideVolts = n.Beside.Name, w.JoinVolts, n.Beside.Volts
		v, err := LoadStanding(db, n.Beside.ID)
		if err != nil {
			return c, err
		}
		if last, read := v.Newest(); read {
			c.Bank.BesideVolts = last.Judged.TotalV
		}
	}
	c.work = &steps.Work{Kind: Bank, ID: b.ID, Version: b.DesignVersion, Event: "gate", About: kernel.About{Bank: b.ID},
		Named: true, May: func(tx *gorm.DB, _ string) error { return s.Bank.BankMay(tx, b.ID, passage.Build) }}
	c.work.After = func(tx *gorm.DB, d gates.Done, row store.StepRecord) error {
		if !d.OK || row.Step != commission.WholeTest {
			return nil
		}
		return keepWhole(tx, s, b.ID, d.Value, row) // what it gave is the bank's figure from here on
	}
	if err := c.work.Recall(db, func([]steps.Record) []gates.Step { return commission.Steps(c.Bank) }); err != nil {
		return c, err
	}
	c.States, c.Records, c.Struck = c.work.States, c.work.Records, c.work.Struck
	built := &steps.Work{Kind: Build, ID: b.ID, Version: b.DesignVersion}
	if err := built.Recall(db, func([]steps.Record) []gates.Step { return assembly.Steps(w.Steps) }); err != nil {
		return c, err
	}
	if len(built.Records) > 0 {
		c.Build = built.States
	}
	c.Open, err = s.keepsOut(db, b, w, c)
	return c, err
}

// keepsOut lists everything that keeps a bank out of service: the wiring, the sense leads, its modules as they
// are now, an old survey, and gates that are open.
func (s *Room) keepsOut(db *gorm.DB, b store.Bank, w plan.Wiring, c Commission) ([]finding.Finding, error) {
	in := commission.Situation{Bank: c.Bank, Wiring: w.Report.Findings, IntoService: w.Report.IntoService,
		States: c.States, Build: c.Build}
	if b.BMS == "" {
		return in.Open(), nil
	}
	checks, err := bank.SenseChecksIn(db, b)
	if err != nil {
		return nil, err
	}
	for _, x := range w.Netlist.BMS {
		k, ok := checks[x.ID]
		lead := commission.Leads{BMS: x.ID}
		if ok && k.Current {
			lead.Verdict = &k.Judged
		}
		in.Leads = append(in.Leads, lead)
	}
	if err := s.Bank.BankMay(db, b.ID, passage.Service); err != nil {
		blocked, ok := err.(*kernel.Blocked)
		if !ok {
			return nil, err
		}
		in.Modules = blocked.Findings
	}
	own, err := readWhole(db, b)
	if err != nil {
		return nil, err
	}
	in.Modules = append(in.Modules, own...)
	if n, err := b.Need.Get(); err != nil {
		return nil, err
	} else if n.Beside != nil { // what is held there flows into this string
		v, err := LoadStanding(db, n.Beside.ID)
		if err != nil {
			return nil, err
		}
		if len(w.Netlist.Modules) > 0 {
			if f, unlike := commission.Unlike(v.Standing.Name, w.Netlist.Modules[0].Chemistry, v.Cells.Chemistry,
				w.Report.Series, v.Cells.Series); unlike {
				in.Modules = append(in.Modules, f)
			}
		}
		for _, f := range finding.Standing(v.Holds) {
			f.Subject = v.Standing.Name
			f.Text = fmt.Sprintf("It is joined to %s: %s", v.Standing.Name, f.Text)
			in.Modules = append(in.Modules, f)
		}
	}
	if in.SurveyDays, err = s.surveyDays(db, b.ID); err != nil {
		return nil, err
	}
	return in.Open(), nil
}

// readWhole is what the surveys of a bank as a whole hold against it.
func readWhole(db *gorm.DB, b store.Bank) ([]finding.Finding, error) {
	list, err := surveysOf(db, b.ID)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	_, c, err := inside(b)
	if err != nil {
		return nil, err
	}
	return standing.OfGroups(standing.Holds(c, sittings(list), nil)), nil
}

// surveyDays returns how many days ago each module of a bank was surveyed, −1 for never.
func (s *Room) surveyDays(db *gorm.DB, bankID int64) (map[string]float64, error) {
	var mods []store.Module
	if err := db.Where("bank_id = ?", bankID).Find(&mods).Error; err != nil {
		return nil, err
	}
	out := map[string]float64{}
	for _, m := range mods {
		sv, ok, err := kernel.Find[store.Survey](record.Counting(db, "surveys").Where("module_id = ?",
			m.ID).Order("taken_at DESC, id DESC"))
		if err != nil {
			return nil, err
		}
		out[m.Number] = -1
		if ok {
			out[m.Number] = math.Max(0, s.Now().Sub(sv.TakenAt).Hours()/24)
		}
	}
	return out, nil
}

// wired loads a bank with its design and wiring.
func (s *Room) wired(ctx context.Context, bankID int64) (b store.Bank, n plan.Need, d plan.Design, w plan.Wiring,
	err error) {
	b, n, found, err := s.Bank.ByID(ctx, bankID)
	if err != nil {
		return b, n, d, w, err
	}
	if found == nil || b.BMS == "" {
		return b, n, d, w, kernel.Bad("", "design the bank and choose its BMS first")
	}
	w, err = s.Bank.PlanWiring(ctx, b, n, *found)
	return b, n, *found, w, err
}

// PutInService hands a bank over, once nothing that is on record keeps it out, and a person has confirmed it.
func (s *Room) PutInService(ctx context.Context, bankID int64, version int, confirm bool, token string) error {
	b, n, d, w, err := s.wired(ctx, bankID)
	if err != nil {
		return err
	}
	if !confirm {
		return kernel.Bad("confirm", "tick that the bank was seen as it stands, and goes into service now")
	}
	if strings.Trim(kernel.Who(ctx), "–- ") == "" {
		return kernel.Bad("by", "expected initials: going into service is recorded with them")
	}
	return s.Action(ctx, token, "service", func(tx *gorm.DB) error {
		c, err := s.commission(tx, b, n, d, w)
		if err != nil {
			return err
		}
		if fs := finding.Standing(c.Open); len(fs) > 0 {
			return kernel.Stopped(fs)
		}
		return s.goTo(tx, b, version, station.Keep, "Put in service")
	})
}

// TakeOutOfService takes a bank back to the bench: its modules stay in it, and its gates must be passed anew.
func (s *Room) TakeOutOfService(ctx context.Context, bankID int64, version int, reason, token string) error {
	reason = strings.TrimSpace(reason)
	if len([]rune(reason)) < 4 {
		return kernel.Bad("reason", "expected why it is taken out of service")
	}
	return s.Action(ctx, token, "out-of-service", func(tx *gorm.DB) error {
		b, err := bank.BankByID(tx, bankID)
		if err != nil {
			return err
		}
		if err := s.goTo(tx, b, version, station.Wire, "Taken out of service: "+reason); err != nil {
			return err
		}
		// What was checked before it went into service is not what it is after a time at work.
		return tx.Model(&store.Bank{}).Where("id = ?", b.ID).Update("design_version", b.DesignVersion+1).Error
	})
}

// goTo moves a bank and its modules into service or out of it.
func (s *Room) goTo(tx *gorm.DB, b store.Bank, version int, to station.Station, text string) error {
	from := map[station.Station]station.Station{station.Keep: station.Wire, station.Wire: station.Keep}[to]
	res := tx.Model(&store.Bank{}).Where("id = ? AND version = ? AND station = ?", b.ID, version,
		from).Updates(map[string]any{"station": to, "station_since": s.Now(), "version": version + 1})
	if res.Error != nil {
		return res.Error
	}
	if res.RowsAffected == 0 {
		return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
	}
	if err := tx.Model(&store.Module{}).Where("bank_id = ?", b.ID).Updates(map[string]any{"station": to,
		"station_since": s.Now()}).Error; err != nil {
		return err
	}
	var ids []int64
	if err := tx.Model(&store.Module{}).Where("bank_id = ?", b.ID).Order("id").Pluck("id", &ids).Error; err != nil {
		return err
	}
	for _, id := range ids { // more is asked of a module in service than on the bench
		kernel.Touch(tx, id)
	}
	return s.Log(tx, "service", kernel.About{Bank: b.ID}, "%s", text)
}

// Replacements lists what in the stock fits best in the place of a module of a bank: those that give the bank
// most, then those nearest in voltage.
func (s *Room) Replacements(ctx context.Context, d plan.Design, number string) ([]plan.Replacement, error) {
	db := s.Store.DB.WithContext(ctx)
	stocks, types, err := bank.Tested(db)
	if err != nil {
		return nil, err
	}
	k := slices.IndexFunc(types, func(t store.ModuleType) bool { return t.ID == d.TypeID })
	at := d.At(number)
	if k < 0 || at < 0 {
		return nil, nil
	}
	var spares []plan.Spare
	for _, m := range stocks[k].Modules {
		row, err := kernel.ModuleByNumber(db, m.Name)
		if err != nil {
			return nil, err
		}
		p, err := bank.Placed(db, row)
		if err != nil {
			return nil, err
		}
		spares = append(spares, plan.Spare{Number: m.Name, CapacityAh: m.CapacityAh, Volts: p.TotalVolts()})
	}
	return d.Replacements(at, spares), nil
}

// Replacement is a module of a bank that goes out, by its number, and the one that takes its place.
type Replacement struct {
	Version int // of the bank
	Out, In string
	Token   string
}

// ReplaceModule puts a module of the stock in the place of one that goes out of a bank. The bank must be out of
// service; what was checked on it is to be checked again.
func (s *Room) ReplaceModule(ctx context.Context, bankID int64, r Replacement) error {
	version, out, in := r.Version, r.Out, r.In
	return s.Action(ctx, r.Token, "replace", func(tx *gorm.DB) error {
		b, err := bank.BankByID(tx, bankID)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		if b.Station == station.Keep {
			return kernel.Bad("", "%s is in service: take it out of service first", b.Name)
		}
		d, err := b.Design.Get()
		if err != nil {
			return err
		}
		at := d.At(out)
		if at < 0 {
			return kernel.Bad("out", "%s does not stand in this bank", out)
		}
		m, err := kernel.ModuleByNumber(tx, in)
		if err != nil {
			return err
		}
		t, err := kernel.TypeByID(tx, d.TypeID)
		if err != nil {
			return err
		}
		if m.TypeID != d.TypeID || m.BankID != nil {
			return kernel.Bad("in", "%s is not a free module of %s", m.Number, t.Name)
		}
		if err := s.Record.May(tx, m, t, passage.Design); err != nil {
			return err
		}
		old, err := kernel.ModuleByNumber(tx, d.Places[at].Number)
		if err != nil {
			return err
		}
		p, err := bank.Placed(tx, m)
		if err != nil {
			return err
		}
		d.Replace(at, p)
		return s.exchange(tx, b, d, old, m)
	})
}

// exchange takes one module out of a bank and puts another in; what was checked on the bank is to be checked again.
func (s *Room) exchange(tx *gorm.DB, b store.Bank, d plan.Design, old, m store.Module) error {
	if err := tx.Model(&store.Module{}).Where("id = ?", old.ID).Updates(map[string]any{"bank_id": nil, "bank_doubt": "",
		"station": station.Grade, "station_since": s.Now()}).Error; err != nil {
		return err
	}
	if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"bank_id": b.ID, "bank_doubt": "",
		"station": station.Wire, "station_since": s.Now()}).Error; err != nil {
		return err
	}
	if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": store.JSONOf(d),
		"design_version": b.DesignVersion + 1, "version": b.Version + 1}).Error; err != nil {
		return err
	}
	if err := s.Bank.Redrawn(tx, b, old.Number, m.Number); err != nil {
		return err
	}
	if err := s.Log(tx, "design", kernel.About{Module: old.ID, Bank: b.ID},
		"Taken out of bank %s", b.Name); err != nil {
		return err
	}
	if err := s.Log(tx, "design", kernel.About{Module: m.ID, Bank: b.ID},
		"Put into bank %s in place of %s", b.Name, old.Number); err != nil {
		return err
	}
	return s.Log(tx, "design", kernel.About{Bank: b.ID}, "%s replaced by %s: %.1f Ah",
		old.Number, m.Number, d.Candidate.CapacityAh)
}
