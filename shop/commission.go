package shop

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/bank"
	"pandrel/core/commission"
	"pandrel/core/finding"
	"pandrel/core/gates"
	"pandrel/core/match"
	"pandrel/core/passage"
	"pandrel/core/wiring"
	"pandrel/store"
)

// bankMay asks for every module of a bank whether it may go on, at this moment.
func (s *Shop) bankMay(db *gorm.DB, bankID int64, a passage.Action) error {
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
			if t, err = typeByID(db, m.TypeID); err != nil {
				return err
			}
			types[m.TypeID] = t
		}
		err := s.may(db, m, t, a)
		if b, ok := err.(*Blocked); ok {
			out = append(out, b.Findings...)
		} else if err != nil {
			return err
		}
	}
	if len(out) > 0 {
		return &Blocked{finding.Sorted(out)}
	}
	return nil
}

// GateRecord is a kept gate of a bank with its findings.
type GateRecord struct {
	store.BankRecord
	Found []finding.Finding
}

// Commission is how far a bank is on its way into service.
type Commission struct {
	Bank    commission.Bank
	States  []gates.State
	Records []GateRecord
	Open    []finding.Finding // what keeps it out of service as things stand, worst first
}

// CommissionOf returns the gates of a designed bank, and all that still keeps it out of service.
func (s *Shop) CommissionOf(ctx context.Context, b store.Bank, n Need, d DesignPlan, w Wiring) (Commission, error) {
	return s.commission(s.st.DB.WithContext(ctx), b, n, d, w)
}

func (s *Shop) commission(db *gorm.DB, b store.Bank, n Need, d DesignPlan, w Wiring) (c Commission, err error) {
	c.Bank = commission.Bank{FullVolts: w.FullV, TouchVolts: s.touch(n), Strings: 1, FreezesHere: n.FreezesHere, FrostAsked: n.FrostAsked}
	if d.Style == match.StringsFirst {
		c.Bank.Strings = d.Candidate.Parallel
	}
	for _, v := range w.Report.PotentialsOn {
		c.Bank.NowVolts = max(c.Bank.NowVolts, v)
	}
	for _, f := range w.Report.Findings {
		if f.Level == finding.Caution {
			c.Bank.Cautions++
		}
	}
	var rows []store.BankRecord
	if err := db.Where("bank_id = ? AND design_version = ?", b.ID, b.DesignVersion).Order("id").Find(&rows).Error; err != nil {
		return c, err
	}
	var records []gates.Record
	for _, r := range rows {
		records = append(records, gates.Record{Key: r.Step, OK: r.OK, Override: r.Override})
		fs, err := fromJSON[[]finding.Finding](r.Findings)
		if err != nil {
			return c, err
		}
		c.Records = append(c.Records, GateRecord{r, fs})
	}
	c.States = gates.States(commission.Steps(c.Bank), records)
	c.Open, err = s.keepsOut(db, b, w, c)
	return c, err
}

// keepsOut lists everything that keeps a bank out of service: the wiring, the sense leads, its modules as they
// are now, an old survey, and gates that are open.
func (s *Shop) keepsOut(db *gorm.DB, b store.Bank, w Wiring, c Commission) (out []finding.Finding, err error) {
	for _, f := range Standing(w.Report.Findings) {
		if f.Code == "high-voltage" { // its gates are the steps below
			continue
		}
		out = append(out, f)
	}
	if b.BMS == "" {
		return finding.Sorted(out), nil
	}
	checks, err := s.senseChecks(db, b)
	if err != nil {
		return nil, err
	}
	for _, x := range w.Netlist.BMS {
		k, ok := checks[x.ID]
		stop := func(text string) {
			out = append(out, finding.Finding{Level: finding.Stop, Code: "sense-not-good", Subject: x.ID, Rule: "rules §9", Text: text, Do: "Measure every lead against the main negative, and the top one against lead 0, and type the readings in."})
		}
		switch {
		case !ok || !k.Current || k.Judged.Kind != wiring.Good:
			stop(fmt.Sprintf("The sense leads of %s have no good check on this design.", x.ID))
		case k.Judged.ZeroOpen:
			stop(fmt.Sprintf("Lead 0 of %s is not proven: the top lead was not read against it.", x.ID))
		}
	}
	if err := s.bankMay(db, b.ID, passage.Service); err != nil {
		blocked, ok := err.(*Blocked)
		if !ok {
			return nil, err
		}
		out = append(out, blocked.Findings...)
	}
	days, err := s.surveyDays(db, b.ID)
	if err != nil {
		return nil, err
	}
	if f, ok := commission.Fresh(days); !ok {
		out = append(out, f)
	}
	if f, ok := commission.Frost(c.Bank); !ok {
		out = append(out, f)
	}
	for _, st := range c.States {
		if !st.Done {
			out = append(out, finding.Finding{Level: finding.Stop, Code: "gate-open", Subject: st.Title, Rule: st.Rule, Text: fmt.Sprintf("'%s' is not done.", st.Title), Do: st.Do})
			break
		}
	}
	return finding.Sorted(out), nil
}

// surveyDays returns how many days ago each module of a bank was surveyed, −1 for never.
func (s *Shop) surveyDays(db *gorm.DB, bankID int64) (map[string]float64, error) {
	var mods []store.Module
	if err := db.Where("bank_id = ?", bankID).Find(&mods).Error; err != nil {
		return nil, err
	}
	out := map[string]float64{}
	for _, m := range mods {
		sv, ok, err := find[store.Survey](db.Where("module_id = ?", m.ID).Order("taken_at DESC, id DESC"))
		if err != nil {
			return nil, err
		}
		out[m.Number] = -1
		if ok {
			out[m.Number] = math.Max(0, s.now().Sub(sv.TakenAt).Hours()/24)
		}
	}
	return out, nil
}

// RecordBankStep keeps a gate of a bank. It is blocked while an earlier gate is open, and while the bank's
// modules may not be built with.
func (s *Shop) RecordBankStep(ctx context.Context, bankID int64, in StepInput) (fs []finding.Finding, err error) {
	b, n, d, w, err := s.wired(ctx, bankID)
	if err != nil {
		return nil, err
	}
	err = s.action(ctx, in.Token, "bank-step", func(tx *gorm.DB) error {
		if err := s.bankMay(tx, b.ID, passage.Build); err != nil {
			return err
		}
		c, err := s.commission(tx, b, n, d, w)
		if err != nil {
			return err
		}
		done, err := takeStep(c.States, in, nil)
		if err != nil {
			return err
		}
		if strings.Trim(initials(in.By), "–- ") == "" {
			return Bad("by", "expected initials: this is recorded with them")
		}
		fs = done.found
		row := store.BankRecord{BankID: b.ID, DesignVersion: b.DesignVersion, Step: in.Step, DoneBy: initials(in.By), DoneAt: s.now(), OK: done.ok, Value: done.value, Reading: done.reading, Findings: toJSON(done.found), Override: done.override, Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return s.log(tx, row.DoneBy, "gate", about{bank: b.ID}, "%s: %s%s", done.Title, done.text(), map[bool]string{true: ", " + done.reading}[done.reading != ""])
	})
	return fs, err
}

// wired loads a bank with its design and wiring.
func (s *Shop) wired(ctx context.Context, bankID int64) (b store.Bank, n Need, d DesignPlan, w Wiring, err error) {
	b, n, plan, err := s.Bank(ctx, bankID)
	if err != nil {
		return b, n, d, w, err
	}
	if plan == nil || b.BMS == "" {
		return b, n, d, w, Bad("", "design the bank and choose its BMS first")
	}
	w, err = s.PlanWiring(ctx, b, n, *plan)
	return b, n, *plan, w, err
}

// PutInService hands a bank over, once nothing that is on record keeps it out, and a person has confirmed it.
func (s *Shop) PutInService(ctx context.Context, bankID int64, version int, confirm bool, by, token string) error {
	b, n, d, w, err := s.wired(ctx, bankID)
	if err != nil {
		return err
	}
	if !confirm {
		return Bad("confirm", "tick that the bank was seen as it stands, and goes into service now")
	}
	if strings.Trim(initials(by), "–- ") == "" {
		return Bad("by", "expected initials: going into service is recorded with them")
	}
	return s.action(ctx, token, "service", func(tx *gorm.DB) error {
		c, err := s.commission(tx, b, n, d, w)
		if err != nil {
			return err
		}
		if fs := Standing(c.Open); len(fs) > 0 {
			return &Blocked{fs}
		}
		return s.station(tx, b, version, Wire, Keep, by, "Put in service")
	})
}

// TakeOutOfService takes a bank back to the bench: its modules stay in it, and its gates must be passed anew.
func (s *Shop) TakeOutOfService(ctx context.Context, bankID int64, version int, reason, by, token string) error {
	reason = strings.TrimSpace(reason)
	if len([]rune(reason)) < 4 {
		return Bad("reason", "expected why it is taken out of service")
	}
	return s.action(ctx, token, "out-of-service", func(tx *gorm.DB) error {
		b, err := bankByID(tx, bankID)
		if err != nil {
			return err
		}
		if err := s.station(tx, b, version, Keep, Wire, by, "Taken out of service: "+reason); err != nil {
			return err
		}
		// What was checked before it went into service is not what it is after a time at work.
		return tx.Model(&store.Bank{}).Where("id = ?", b.ID).Update("design_version", b.DesignVersion+1).Error
	})
}

// station moves a bank and its modules from one station to another.
func (s *Shop) station(tx *gorm.DB, b store.Bank, version int, from, to, by, text string) error {
	res := tx.Model(&store.Bank{}).Where("id = ? AND version = ? AND station = ?", b.ID, version, from).Updates(map[string]any{"station": to, "station_since": s.now(), "version": version + 1})
	if res.Error != nil {
		return res.Error
	}
	if res.RowsAffected == 0 {
		return &Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
	}
	if err := tx.Model(&store.Module{}).Where("bank_id = ?", b.ID).Updates(map[string]any{"station": to, "station_since": s.now()}).Error; err != nil {
		return err
	}
	return s.log(tx, initials(by), "service", about{bank: b.ID}, "%s", text)
}

// Replacement is a module of the stock that could take another's place in a bank.
type Replacement struct {
	Number     string
	CapacityAh float64
	BankAh     float64 // what the bank has with it
	ChangeAh   float64 // against what it has now
	DiffersV   float64 // its voltage against the one that goes
}

// maxReplacements is how many are listed.
const maxReplacements = 3

// Replacements lists what in the stock fits best in the place of a module of a bank: those that give the bank
// most, then those nearest in voltage.
func (s *Shop) Replacements(ctx context.Context, d DesignPlan, number string) ([]Replacement, error) {
	db := s.st.DB.WithContext(ctx)
	stocks, types, err := stock(db)
	if err != nil {
		return nil, err
	}
	k := slices.IndexFunc(types, func(t store.ModuleType) bool { return t.ID == d.TypeID })
	at := slices.IndexFunc(d.Places, func(p Place) bool { return p.Number == number })
	if k < 0 || at < 0 {
		return nil, nil
	}
	now := bankAh(d, -1, 0)
	var out []Replacement
	for _, m := range stocks[k].Modules {
		row, err := moduleByNumber(db, m.Name)
		if err != nil {
			return nil, err
		}
		last, err := lastVolts(db, row.ID)
		if err != nil {
			return nil, err
		}
		sum := 0.0
		for _, v := range last {
			sum += v
		}
		ah := bankAh(d, at, m.CapacityAh)
		out = append(out, Replacement{m.Name, m.CapacityAh, ah, ah - now, sum - d.Places[at].TotalVolts()})
	}
	slices.SortStableFunc(out, func(a, b Replacement) int {
		if d := b.BankAh - a.BankAh; math.Abs(d) > 0.05 {
			return int(math.Copysign(1, d))
		}
		return int(math.Copysign(1, math.Abs(a.DiffersV)-math.Abs(b.DiffersV)))
	})
	return out[:min(len(out), maxReplacements)], nil
}

// bankAh is the capacity of a design with the module at one place replaced by another capacity; −1 for none.
func bankAh(d DesignPlan, at int, ah float64) float64 {
	caps := make([]bank.Part, len(d.Places))
	for i, p := range d.Places {
		caps[i] = bank.Part{Position: p.Position, Mate: p.Mate, CapacityAh: p.CapacityAh}
		if i == at {
			caps[i].CapacityAh = ah
		}
	}
	return bank.CapacityOf(caps, d.Style == match.StringsFirst)
}

// ReplaceModule puts a module of the stock in the place of one that goes out of a bank. The bank must be out of
// service; what was checked on it is to be checked again.
func (s *Shop) ReplaceModule(ctx context.Context, bankID int64, version int, out, in, by, token string) error {
	return s.action(ctx, token, "replace", func(tx *gorm.DB) error {
		b, err := bankByID(tx, bankID)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		if b.Station == Keep {
			return Bad("", "%s is in service: take it out of service first", b.Name)
		}
		d, err := fromJSON[DesignPlan](b.Design)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(d.Places, func(p Place) bool { return strings.EqualFold(p.Number, out) })
		if at < 0 {
			return Bad("out", "%s does not stand in this bank", out)
		}
		m, err := moduleByNumber(tx, in)
		if err != nil {
			return err
		}
		t, err := typeByID(tx, d.TypeID)
		if err != nil {
			return err
		}
		if m.TypeID != d.TypeID || m.BankID != nil {
			return Bad("in", "%s is not a free module of %s", m.Number, t.Name)
		}
		if err := s.may(tx, m, t, passage.Design); err != nil {
			return err
		}
		old, err := moduleByNumber(tx, d.Places[at].Number)
		if err != nil {
			return err
		}
		last, err := lastVolts(tx, m.ID)
		if err != nil {
			return err
		}
		p := Place{ModuleID: m.ID, Number: m.Number, Position: d.Places[at].Position, Mate: d.Places[at].Mate, CapacityAh: m.CapacityAh, MOhm: m.ResistanceMohm}
		for g := 1; g <= len(last); g++ {
			p.Volts = append(p.Volts, last[g])
		}
		d.Places[at] = p
		d.renamed(out, m.Number)
		was := d.Candidate.CapacityAh
		d.Candidate.CapacityAh = bankAh(d, -1, 0)
		scale := d.Candidate.CapacityAh / was
		d.Candidate.UsableKWh, d.Candidate.TotalKWh = d.Candidate.UsableKWh*scale, d.Candidate.TotalKWh*scale
		if err := tx.Model(&store.Module{}).Where("id = ?", old.ID).Updates(map[string]any{"bank_id": nil, "station": Grade, "station_since": s.now()}).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"bank_id": b.ID, "station": Wire, "station_since": s.now()}).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": toJSON(d), "design_version": b.DesignVersion + 1, "version": b.Version + 1}).Error; err != nil {
			return err
		}
		for id, text := range map[int64]string{old.ID: "Taken out of bank " + b.Name, m.ID: fmt.Sprintf("Put into bank %s in place of %s", b.Name, old.Number)} {
			if err := s.log(tx, initials(by), "design", about{module: id, bank: b.ID}, "%s", text); err != nil {
				return err
			}
		}
		return s.log(tx, initials(by), "design", about{bank: b.ID}, "%s replaced by %s: %.1f Ah", old.Number, m.Number, d.Candidate.CapacityAh)
	})
}

// renamed puts a module's number in another's place in the match that a design keeps.
func (d *DesignPlan) renamed(out, in string) {
	for _, parts := range [][][]string{d.Match.Positions, d.Match.Strings} {
		for _, part := range parts {
			for i := range part {
				if strings.EqualFold(part[i], out) {
					part[i] = in
				}
			}
		}
	}
}
