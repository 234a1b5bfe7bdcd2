package shop

import (
	"context"
	"errors"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/balance"
	"pandrel/core/bank"
	"pandrel/core/bms"
	"pandrel/core/build"
	"pandrel/core/chem"
	"pandrel/core/finding"
	"pandrel/core/grade"
	"pandrel/core/layout"
	"pandrel/core/match"
	"pandrel/core/passage"
	"pandrel/core/wiring"
	"pandrel/store"
)

// Need is what a client wants, as the form has it. FrostAsked says that somebody was asked whether it can
// freeze there; until then FreezesHere is no answer.
type Need struct {
	bank.Need
	FreezesHere bool
	FrostAsked  bool
}

// Parts are the ratings of what a bank is built with, 0 where not known. BondA is of each bond of middle
// taps; FuseMM is the length of conductor between the cells and the first fuse.
type Parts struct {
	FuseA      float64
	FuseV      float64
	FuseKA     float64
	CableA     float64
	BondA      float64
	FuseMM     float64
	BondsFused bool
}

// Place is where a module stands in a design. Position counts the series order of the bank (of its
// string, strings first), Mate those in parallel; both from 0. Volts are of the newest survey.
type Place struct {
	ModuleID   int64
	Number     string
	Position   int
	Mate       int
	Volts      []float64
	CapacityAh float64
	MOhm       float64
	layout     *layout.Map // its own, nil for its type's
	dead       []string    // points of its connector that reach nothing
}

// TotalVolts is the module's voltage from post to post.
func (p Place) TotalVolts() float64 {
	sum := 0.0
	for _, v := range p.Volts {
		sum += v
	}
	return sum
}

// DesignPlan is a bank as designed: enough to draw, wire and build it.
type DesignPlan struct {
	TypeID    int64
	Candidate bank.Candidate
	Style     match.Style
	Match     match.Result
	Places    []Place
	DesignedBy,
	DesignedAt string

	driftAhDay float64
}

// NeedInput makes or changes a bank's need.
type NeedInput struct {
	ID      int64
	Version int
	Name    string
	Client  string
	Need    Need
	By      string
	Token   string
}

// SaveNeed makes a bank, or changes its need while nothing is designed.
func (s *Shop) SaveNeed(ctx context.Context, in NeedInput) (store.Bank, error) {
	c := checks{}
	in.Name, in.Client = strings.TrimSpace(in.Name), strings.TrimSpace(in.Client)
	c.need(in.Name != "", "name", "expected a name for the bank")
	if _, err := bank.Candidates(in.Need.Need, nil); err != nil {
		c.need(false, "", "%v", err)
	}
	if err := c.err(); err != nil {
		return store.Bank{}, err
	}
	b := store.Bank{Name: in.Name, Client: in.Client, Need: toJSON(in.Need), Station: Design, StationSince: s.now(), Version: 1, CreatedAt: s.now()}
	err := s.action(ctx, in.Token, "need", func(tx *gorm.DB) error {
		if same, taken, err := find[store.Bank](tx.Where("name = ? COLLATE NOCASE AND id <> ?", b.Name, in.ID)); err != nil {
			return err
		} else if taken {
			return Bad("name", "there is a bank %s already", same.Name)
		}
		if in.ID == 0 {
			if err := tx.Create(&b).Error; err != nil {
				return err
			}
			return s.log(tx, initials(in.By), "need", about{bank: b.ID}, "Need written down for %s", orDash(b.Client))
		}
		now, err := bankByID(tx, in.ID)
		if err != nil {
			return err
		}
		if now.Design != "" {
			return Bad("", "%s is designed: take the design back before changing the need", now.Name)
		}
		res := tx.Model(&store.Bank{}).Where("id = ? AND version = ?", in.ID, in.Version).Updates(map[string]any{"name": b.Name, "client": b.Client, "need": b.Need, "version": in.Version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			n, err := fromJSON[Need](now.Need)
			if err != nil {
				return err
			}
			return &Conflict{What: "Bank " + now.Name, Version: now.Version, Saved: map[string]string{"name": now.Name, "client": now.Client, "abs_max_v": plain(n.AbsMaxVolts), "charge_max_v": plain(n.ChargeMaxVolts),
				"cutoff_v": plain(n.CutoffVolts), "start_v": plain(n.StartVolts), "load_w": plain(n.LoadWatts), "kwh": plain(n.WantedKWh), "charge_a": plain(n.ChargeAmps), "peak_a": plain(n.PeakAmps)}}
		}
		b.ID, b.Version = in.ID, in.Version+1
		return s.log(tx, initials(in.By), "need", about{bank: b.ID}, "Need changed")
	})
	return b, err
}

// AnswerFrost writes down whether it can freeze where a bank will stand, also once it is designed: the BMS is
// judged by it from then on.
func (s *Shop) AnswerFrost(ctx context.Context, id int64, version int, freezes bool, by, token string) error {
	return s.action(ctx, token, "frost", func(tx *gorm.DB) error {
		b, err := bankByID(tx, id)
		if err != nil {
			return err
		}
		n, err := fromJSON[Need](b.Need)
		if err != nil {
			return err
		}
		n.FreezesHere, n.FrostAsked = freezes, true
		res := tx.Model(&store.Bank{}).Where("id = ? AND version = ?", id, version).Updates(map[string]any{"need": toJSON(n), "version": version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			return &Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		return s.log(tx, initials(by), "need", about{bank: id}, "Asked: can it freeze there? %s", yes(freezes))
	})
}

func orDash(s string) string {
	if s == "" {
		return "–"
	}
	return s
}

func bankByID(db *gorm.DB, id int64) (store.Bank, error) {
	var b store.Bank
	err := db.Where("id = ?", id).Take(&b).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return b, &NotFound{fmt.Sprintf("bank %d", id)}
	}
	return b, err
}

// Bank finds a bank with its need and its design, nil where there is none.
func (s *Shop) Bank(ctx context.Context, id int64) (store.Bank, Need, *DesignPlan, error) {
	b, err := bankByID(s.st.DB.WithContext(ctx), id)
	if err != nil {
		return b, Need{}, nil, err
	}
	n, err := fromJSON[Need](b.Need)
	if err != nil || b.Design == "" {
		return b, n, nil, err
	}
	d, err := fromJSON[DesignPlan](b.Design)
	if err != nil {
		return b, n, nil, err
	}
	d.driftAhDay, err = worstDrift(s.st.DB.WithContext(ctx), d)
	return b, n, &d, err
}

// Stock returns the graded modules that may go into a bank, by type. Modules of class C, watched,
// are parallel mates only and are left out.
func (s *Shop) Stock(ctx context.Context) ([]bank.Stock, []store.ModuleType, error) {
	return stock(s.st.DB.WithContext(ctx))
}

func stock(db *gorm.DB) ([]bank.Stock, []store.ModuleType, error) {
	var types []store.ModuleType
	if err := db.Where("layout_id IS NOT NULL AND chemistry <> ''").Order("name").Find(&types).Error; err != nil {
		return nil, nil, err
	}
	var out []bank.Stock
	for _, t := range types {
		lay, _, err := layoutOf(db, t)
		if err != nil {
			return nil, nil, err
		}
		own, err := curveOf(t)
		if err != nil {
			return nil, nil, err
		}
		st := bank.Stock{Type: t.Name, Chemistry: chem.ID(t.Chemistry), Curve: own, Series: lay.Series, Limits: bank.Limits{DischargeAmps: t.DischargeA, PeakAmps: t.PeakA, ChargeAmps: t.ChargeA, ChargePeak: t.ChargePeakA}}
		below := lay.GroupsBelow()
		for k, n := range lay.Nodes[1 : len(lay.Nodes)-1] { // posts in between: halves can be used
			if slices.ContainsFunc(strings.Fields(t.Posts), func(p string) bool { return slices.Contains(n.Points, p) }) {
				st.Posts = append(st.Posts, below[k+1])
			}
		}
		var mods []store.Module
		err = db.Where("type_id = ? AND fitness = ? AND bank_id IS NULL AND quarantined = 0 AND hold = '' AND capacity_ah > 0", t.ID, string(grade.Accept)).Order("number").Find(&mods).Error
		if err != nil {
			return nil, nil, err
		}
		for _, m := range mods {
			st.Modules = append(st.Modules, bank.Module{Name: m.Number, CapacityAh: m.CapacityAh, ResistanceMOhm: m.ResistanceMohm})
		}
		out = append(out, st)
	}
	return out, types, nil
}

// Candidates lists the ways to meet a bank's need from the stock.
func (s *Shop) Candidates(ctx context.Context, n Need) ([]bank.Candidate, error) {
	st, _, err := s.Stock(ctx)
	if err != nil {
		return nil, err
	}
	return bank.Candidates(n.Need, st)
}

// Advice answers for every type in stock which series count is right for a need.
func (s *Shop) Advice(ctx context.Context, n Need) ([]bank.Advice, error) {
	st, _, err := s.Stock(ctx)
	if err != nil {
		return nil, err
	}
	var out []bank.Advice
	for _, x := range st {
		if len(x.Modules) == 0 {
			continue
		}
		a, err := bank.Advise(n.Need, x)
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
func (s *Shop) DesignBank(ctx context.Context, in DesignInput) (plan DesignPlan, err error) {
	err = s.action(ctx, in.Token, "design", func(tx *gorm.DB) error {
		b, err := bankByID(tx, in.BankID)
		if err != nil {
			return err
		}
		if b.Design != "" || b.Version != in.Version {
			return &Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		n, err := fromJSON[Need](b.Need)
		if err != nil {
			return err
		}
		stocks, types, err := stock(tx)
		if err != nil {
			return err
		}
		k := slices.IndexFunc(stocks, func(x bank.Stock) bool { return x.Type == in.Type })
		if k < 0 {
			return Bad("", "no graded modules of %s are in stock", in.Type)
		}
		cs, err := bank.Candidates(n.Need, stocks[k:k+1])
		if err != nil {
			return Bad("", "%v", err)
		}
		c := slices.IndexFunc(cs, func(x bank.Candidate) bool { return x.Series == in.Series && x.Parallel == in.Parallel })
		if c < 0 {
			return Bad("", "%d groups with %d in parallel is not one of the ways the stock allows now", in.Series, in.Parallel)
		}
		if cs[c].Refused {
			return &Blocked{cs[c].Findings}
		}
		p := match.Problem{Series: cs[c].ModulesInString, Parallel: in.Parallel, Style: in.Style, Seed: uint64(b.ID)}
		for _, m := range stocks[k].Modules {
			p.Modules = append(p.Modules, match.Module{Name: m.Name, CapacityAh: m.CapacityAh, ResistanceMOhm: m.ResistanceMOhm, Type: in.Type})
		}
		res, err := match.Solve(p)
		if err != nil {
			return Bad("", "%v", err)
		}
		plan = DesignPlan{TypeID: types[k].ID, Candidate: cs[c], Style: in.Style, Match: res, DesignedBy: initials(in.By), DesignedAt: s.now().Format(time.RFC3339)}
		plan.Candidate.CapacityAh = res.CapacityAh
		scale := res.CapacityAh / cs[c].CapacityAh // the candidate was predicted from the bound
		plan.Candidate.UsableKWh *= scale
		plan.Candidate.TotalKWh *= scale
		if plan.Places, err = places(tx, in.Style, res); err != nil {
			return err
		}
		for _, pl := range plan.Places { // an old grade does not stand for what is known now
			m, err := moduleByNumber(tx, pl.Number)
			if err != nil {
				return err
			}
			if err := s.may(tx, m, types[k], passage.Design); err != nil {
				return err
			}
		}
		for _, pl := range plan.Places {
			if err := tx.Model(&store.Module{}).Where("id = ?", pl.ModuleID).Updates(map[string]any{"bank_id": b.ID, "station": Wire, "station_since": s.now()}).Error; err != nil {
				return err
			}
			if err := s.log(tx, plan.DesignedBy, "design", about{module: pl.ModuleID, bank: b.ID}, "Put into bank %s, position %d", b.Name, pl.Position+1); err != nil {
				return err
			}
		}
		err = tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": toJSON(plan), "rules_version": RulesVersion, "bms": "", "station": Wire, "station_since": s.now(), "design_version": b.DesignVersion + 1, "version": b.Version + 1}).Error
		if err != nil {
			return err
		}
		return s.log(tx, plan.DesignedBy, "design", about{bank: b.ID}, "Designed: %d modules of %s, %d groups in series, %d in parallel, %.1f Ah", len(plan.Places), in.Type, in.Series, in.Parallel, res.CapacityAh)
	})
	return plan, err
}

// places looks up the matched modules with their newest voltages.
func places(tx *gorm.DB, style match.Style, r match.Result) ([]Place, error) {
	var out []Place
	parts := r.Positions
	if style == match.StringsFirst {
		parts = r.Strings
	}
	for i, part := range parts {
		for k, number := range part {
			m, err := moduleByNumber(tx, number)
			if err != nil {
				return nil, err
			}
			p := Place{ModuleID: m.ID, Number: m.Number, Position: i, Mate: k, CapacityAh: m.CapacityAh, MOhm: m.ResistanceMohm}
			if style == match.StringsFirst {
				p.Position, p.Mate = k, i
			}
			last, err := lastVolts(tx, m.ID)
			if err != nil {
				return nil, err
			}
			for g := 1; g <= len(last); g++ {
				p.Volts = append(p.Volts, last[g])
			}
			out = append(out, p)
		}
	}
	return out, nil
}

// UndoDesign gives the modules back to the stock. It is not possible once the bank is in service.
func (s *Shop) UndoDesign(ctx context.Context, bankID int64, version int, by, token string) error {
	return s.action(ctx, token, "undo-design", func(tx *gorm.DB) error {
		b, err := bankByID(tx, bankID)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		if b.Station == Keep {
			return Bad("", "%s is in service: it cannot be taken back to the drawing", b.Name)
		}
		if err := tx.Model(&store.Module{}).Where("bank_id = ?", b.ID).Updates(map[string]any{"bank_id": nil, "station": Design, "station_since": s.now()}).Error; err != nil {
			return err
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": "", "bms": "", "station": Design, "station_since": s.now(), "design_version": b.DesignVersion + 1, "version": b.Version + 1}).Error; err != nil {
			return err
		}
		return s.log(tx, initials(by), "design", about{bank: b.ID}, "Design taken back, modules returned to the stock")
	})
}

// BMSChoices judges the catalogue for a designed bank, per string when strings come first.
func BMSChoices(n Need, d DesignPlan) ([]bms.Choice, error) {
	return bms.Choose(bmsNeed(n, d), bms.Catalogue())
}

func bmsNeed(n Need, d DesignPlan) bms.Need {
	// Strings do not share evenly and one may carry all when the others trip, so each string's BMS
	// must carry the whole load.
	count := 1
	if d.Style == match.StringsFirst {
		count = d.Candidate.Parallel
	}
	return bms.Need{Groups: d.Candidate.Series, Chemistry: d.Candidate.Chemistry, LoadAmps: d.Candidate.LoadAmps, PeakAmps: n.PeakAmps, ChargeAmps: n.ChargeAmps, CapacityAh: d.Candidate.CapacityAh, FreezesHere: n.FreezesHere || !n.FrostAsked, DriftAhDay: d.driftAhDay, Count: count}
}

// worstDrift is the fastest fall of a group in a design against its siblings, Ah a day, from the newest
// survey of each module; 0 where none is known.
func worstDrift(db *gorm.DB, d DesignPlan) (float64, error) {
	worst := 0.0
	for _, p := range d.Places {
		r, _, ok, err := lastSurvey(db, p.ModuleID)
		if err != nil {
			return 0, err
		}
		if !ok {
			continue
		}
		for _, g := range r.Groups {
			if g.Drift != nil {
				worst = max(worst, -*g.Drift/100*p.CapacityAh/30.4)
			}
		}
	}
	return worst, nil
}

// ChooseBMS sets a bank's BMS. A refused device cannot be chosen.
func (s *Shop) ChooseBMS(ctx context.Context, bankID int64, version int, name, by, token string) error {
	return s.action(ctx, token, "bms", func(tx *gorm.DB) error {
		b, err := bankByID(tx, bankID)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{"bms": b.BMS}}
		}
		n, err := fromJSON[Need](b.Need)
		if err != nil {
			return err
		}
		if b.Design == "" {
			return Bad("", "design the bank before choosing its BMS")
		}
		if b.Station == Keep {
			return Bad("", "%s is in service: take it out of service before its BMS is changed", b.Name)
		}
		d, err := fromJSON[DesignPlan](b.Design)
		if err != nil {
			return err
		}
		if d.driftAhDay, err = worstDrift(tx, d); err != nil {
			return err
		}
		cs, err := BMSChoices(n, d)
		if err != nil {
			return err
		}
		k := slices.IndexFunc(cs, func(c bms.Choice) bool { return c.Device.Name == name })
		if k < 0 {
			return Bad("bms", "%q is not in the catalogue", name)
		}
		if cs[k].Refused {
			return &Blocked{cs[k].Findings}
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"bms": name, "design_version": b.DesignVersion + 1, "version": b.Version + 1}).Error; err != nil {
			return err
		}
		return s.log(tx, initials(by), "bms", about{bank: b.ID}, "BMS chosen: %s", name)
	})
}

// Device returns the catalogue's device of a name.
func Device(name string) (bms.Device, bool) {
	for _, d := range bms.Catalogue() {
		if d.Name == name {
			return d, true
		}
	}
	return bms.Device{}, false
}

// Wiring is a bank as a netlist with the check's report, and where things are.
type Wiring struct {
	Netlist wiring.Netlist
	Report  wiring.Report
	// SenseOf gives the sense input on a node of a module: "number/node" → input text.
	SenseOf map[string]string
	// Expected is the sense table of each BMS, input 0 first; NaN for an input without a lead.
	Expected map[string][]float64
	Steps    []build.Step
	FullV    float64
	Amps     float64 // prospective
	// Places are the design's with the voltages that all numbers of the page come from.
	Places []Place
	Charge string // what the charge of the groups amounts to
}

// PlanWiring makes the netlist of a design and checks it. Power goes through posts, sense leads to
// connector pins where the layout has them.
func (s *Shop) PlanWiring(ctx context.Context, b store.Bank, n Need, d DesignPlan) (Wiring, error) {
	t, err := s.Type(ctx, d.TypeID)
	if err != nil {
		return Wiring{}, err
	}
	lay, _, err := s.LayoutOf(ctx, t)
	if err != nil {
		return Wiring{}, err
	}
	dev, _ := Device(b.BMS)
	stale, err := s.refresh(ctx, &d)
	if err != nil {
		return Wiring{}, err
	}
	own, err := curveOf(t)
	if err != nil {
		return Wiring{}, err
	}
	parts, err := fromJSON[Parts](b.Parts)
	if err != nil {
		return Wiring{}, err
	}
	w := Wiring{Netlist: netlist(d, t, lay, dev, parts), SenseOf: map[string]string{}, Expected: map[string][]float64{}, Places: d.Places}
	for i := range w.Netlist.Modules {
		m := &w.Netlist.Modules[i]
		m.Curve, m.ChargeA, m.DischargeA = own, t.ChargeA, t.DischargeA
	}
	w.Netlist.DesignA = bms.DesignFactor * max(d.Candidate.LoadAmps, n.ChargeAmps)
	if w.Report, err = wiring.Check(w.Netlist); err != nil {
		return w, err
	}
	if len(stale) > 0 {
		w.Report.Findings = append(w.Report.Findings, finding.Finding{Level: finding.Caution, Code: "volts-before-test", Subject: stale[0], Measured: finding.Of(float64(len(stale))), Limit: finding.Of(0), Unit: "modules", Rule: "work, station 8",
			Text: fmt.Sprintf("The voltages of %s were taken before the last test, which changed their charge: potentials and sense table are not what will be measured.", strings.Join(stale, ", ")), Do: "Bring them to storage charge, let them rest, and survey them again before wiring."})
	}
	if dev.Name != "" {
		w.Report.Findings = append(w.Report.Findings, bms.Check(dev, bmsPlan(n, d, t))...)
	}
	for i := range w.Report.Findings { // one limit, and it depends on the place
		if f := &w.Report.Findings[i]; f.Code == "high-voltage" && f.Measured != nil && *f.Measured <= s.touch(n) {
			f.Level = finding.Note
		}
	}
	if full := d.Candidate.FullVolts; full > s.touch(n) && !slices.ContainsFunc(w.Report.Findings, func(f finding.Finding) bool { return f.Code == "high-voltage" }) {
		w.Report.Findings = append(w.Report.Findings, finding.Finding{Level: finding.Stop, Code: "high-voltage", Subject: "bank", Measured: finding.Of(full), Limit: finding.Of(s.touch(n)), Unit: "V", Rule: "rules §7",
			Text: fmt.Sprintf("Fully charged, this bank reaches %.1f V DC, above %.0f V for a wet place: a shock can kill.", full, s.touch(n)), Do: "Isolation checked, a second person present, protective equipment on, before the first link. Licensed practice and local codes decide."})
	}
	w.Report.Findings = finding.Sorted(w.Report.Findings)
	w.Charge = chargeText(w.Netlist)
	for _, x := range w.Netlist.BMS {
		w.Expected[x.ID] = w.Report.Expected(x.ID)
	}
	for _, row := range w.Report.SenseTable {
		if row.ExpectedV == nil {
			continue
		}
		number, point, _ := strings.Cut(row.Point, ".")
		for _, m := range w.Netlist.Modules {
			if node, ok := m.Posts[point]; ok && m.ID == number {
				w.SenseOf[fmt.Sprintf("%s/%d", number, node)] = fmt.Sprint(row.Input)
			}
		}
	}
	w.FullV = d.Candidate.FullVolts
	w.Amps = prospective(d)
	if choice, ok := s.chosen(n, d, b.BMS); ok && !choice.Refused {
		w.Steps = build.Steps(s.buildPlan(n, d, t, lay, dev, w))
	}
	return w, nil
}

// chosen is how the chosen BMS is judged now; ok is false while none is chosen.
func (s *Shop) chosen(n Need, d DesignPlan, name string) (bms.Choice, bool) {
	cs, err := BMSChoices(n, d)
	if err != nil {
		return bms.Choice{}, false
	}
	k := slices.IndexFunc(cs, func(c bms.Choice) bool { return c.Device.Name == name })
	if k < 0 {
		return bms.Choice{}, false
	}
	return cs[k], true
}

// chargeText says what the charge of a bank's groups amounts to.
func chargeText(n wiring.Netlist) string {
	var groups []balance.Group
	for _, m := range n.Modules {
		for i, g := range m.Groups {
			groups = append(groups, balance.Group{Name: fmt.Sprintf("%s group %d", m.ID, i+1), Chemistry: m.Chemistry, Curve: m.Curve, Volts: g.Volts, Ah: g.Ah})
		}
	}
	r, err := balance.Judge(groups)
	if err != nil {
		return ""
	}
	return fmt.Sprintf("highest %s, lowest %s; %s", groups[r.Highest].Name, groups[r.Lowest].Name, r.Summary(groups))
}

// refresh puts the newest surveyed voltages into the design's places, and returns the modules
// that were tested after their newest survey.
func (s *Shop) refresh(ctx context.Context, d *DesignPlan) (stale []string, err error) {
	db := s.st.DB.WithContext(ctx)
	d.Places = slices.Clone(d.Places)
	for i := range d.Places {
		p := &d.Places[i]
		last, err := lastVolts(db, p.ModuleID)
		if err != nil {
			return nil, err
		}
		m, ok, err := find[store.Module](db.Where("id = ?", p.ModuleID))
		if err != nil {
			return nil, err
		}
		if ok {
			t, err := typeByID(db, m.TypeID)
			if err != nil {
				return nil, err
			}
			lay, mapped, err := ownMap(db, m, t)
			if err != nil {
				return nil, err
			}
			if mapped {
				p.dead = lay.Floating
			}
		}
		if ok && m.LayoutID != nil {
			own, _, err := layoutFor(db, m, store.ModuleType{})
			if err != nil {
				return nil, err
			}
			p.layout = &own
		}
		if len(last) == len(p.Volts) {
			p.Volts = slices.Clone(p.Volts)
			for g := range p.Volts {
				p.Volts[g] = last[g+1]
			}
		}
		var tested int64
		err = db.Raw(`SELECT count(*) FROM (SELECT uploaded_at AS at FROM traces WHERE module_id = ? UNION ALL SELECT taken_at FROM hand_results WHERE module_id = ? AND charge_moved = 1)
			WHERE at > (SELECT max(taken_at) FROM surveys WHERE module_id = ?)`, p.ModuleID, p.ModuleID, p.ModuleID).Scan(&tested).Error
		if err != nil {
			return nil, err
		}
		if tested > 0 {
			stale = append(stale, p.Number)
		}
	}
	return stale, nil
}

// prospective is the fault current of the whole bank, 0 where a resistance is not known.
func prospective(d DesignPlan) float64 {
	mOhm, count := 0.0, 0
	for _, p := range d.Places {
		if p.MOhm > 0 {
			mOhm += p.MOhm
			count++
		}
	}
	if count == 0 {
		return 0
	}
	c := d.Candidate
	return wiring.ProspectiveAmps(c.FullVolts, mOhm/float64(count)*float64(c.ModulesInString)/float64(c.Parallel))
}

// pick returns a node's point among the preferred names, else its first.
func pick(node layout.Node, preferred string) string {
	for _, p := range strings.Fields(preferred) {
		if slices.Contains(node.Points, p) {
			return p
		}
	}
	return node.Points[0]
}

// without takes dead points off a layout, so that neither a probe nor a sense lead is put on one. A node with
// no other point keeps them: such a module is held.
func without(l layout.Map, dead []string) layout.Map {
	if len(dead) == 0 {
		return l
	}
	l.Nodes = slices.Clone(l.Nodes)
	for i, n := range l.Nodes {
		alive := slices.DeleteFunc(slices.Clone(n.Points), func(p string) bool { return slices.Contains(dead, p) })
		if len(alive) > 0 {
			l.Nodes[i].Points = alive
		}
	}
	return l
}

// netlist writes the design down: bars between positions, bars and bonds between mates, a fuse in
// each plus, the BMS in each minus. A module with a layout of its own is wired by that.
func netlist(d DesignPlan, t store.ModuleType, lay layout.Map, dev bms.Device, parts Parts) wiring.Netlist {
	n := wiring.Netlist{Terminals: wiring.Terminals{Plus: []string{"OUT+"}, Minus: []string{"OUT-"}}}
	at := map[[2]int]string{}
	own := map[string]layout.Map{}
	last := len(lay.Nodes) - 1
	nodeAt := lay.GroupsBelow() // the node of the netlist
	for _, p := range d.Places {
		l := lay
		if p.layout != nil && len(p.layout.Nodes) == len(lay.Nodes) {
			l = *p.layout
		}
		l = without(l, p.dead)
		own[p.Number] = l
		m := wiring.Module{ID: p.Number, Chemistry: d.Candidate.Chemistry, Posts: map[string]int{}}
		for _, v := range p.Volts {
			// Ohmic resistance is about half the DC resistance at 10 s (handbook §10).
			m.Groups = append(m.Groups, wiring.Group{Volts: v, Ah: p.CapacityAh, MOhm: p.MOhm / 2 / float64(max(1, len(p.Volts)))})
		}
		below := l.GroupsBelow()
		for k, node := range l.Nodes {
			for _, point := range node.Points {
				m.Posts[point] = below[k]
			}
		}
		n.Modules = append(n.Modules, m)
		at[[2]int{p.Position, p.Mate}] = p.Number
	}
	power := func(pos, mate, node int) string {
		number := at[[2]int{pos, mate}]
		return number + "." + pick(own[number].Nodes[node], t.Posts)
	}
	sense := func(pos, mate, node int) string {
		number := at[[2]int{pos, mate}]
		return number + "." + pick(own[number].Nodes[node], t.Pins+" "+t.Posts)
	}
	kind := wiring.Transistor
	if dev.Switch == bms.Relay {
		kind = wiring.Contactor
	}
	rated := func(v float64) *float64 {
		if v <= 0 {
			return nil
		}
		return finding.Of(v)
	}
	add := func(id, kind, from, to string) {
		c := wiring.Conductor{ID: id, Kind: kind, From: from, To: to, MOhm: 0.1}
		switch kind {
		case wiring.Fuse:
			c.RatingA, c.VoltageRatingV, c.InterruptA, c.LengthMM = rated(parts.FuseA), rated(parts.FuseV), rated(parts.FuseKA*1000), nil
		case wiring.Bond:
			c.RatingA = rated(parts.BondA)
		case wiring.Cable, wiring.Bar:
			c.RatingA = rated(parts.CableA)
		}
		n.Conductors = append(n.Conductors, c)
	}
	series := d.Candidate.ModulesInString
	strs := 1
	if d.Style == match.StringsFirst {
		strs = d.Candidate.Parallel
	} else {
		for pos := range series {
			for mate := 1; mate < d.Candidate.Parallel; mate++ {
				for k := range lay.Nodes {
					kd, id := wiring.Bond, fmt.Sprintf("J%d-%d-%d", pos+1, mate, k)
					switch {
					case k == 0 || k == last:
						kd = wiring.Bar
					case parts.BondsFused:
						n.Conductors = append(n.Conductors, wiring.Conductor{ID: id, Kind: wiring.Fuse, From: power(pos, mate-1, k), To: power(pos, mate, k), MOhm: 0.5, RatingA: rated(parts.BondA), VoltageRatingV: rated(parts.FuseV), InterruptA: rated(parts.FuseKA * 1000)})
						continue
					}
					add(id, kd, power(pos, mate-1, k), power(pos, mate, k))
				}
			}
		}
	}
	for st := range strs {
		suffix := ""
		if strs > 1 {
			suffix = string(rune('a' + st))
		}
		for pos := 1; pos < series; pos++ {
			add(fmt.Sprintf("L%d%s", pos, suffix), wiring.Bar, power(pos-1, st, last), power(pos, st, 0))
		}
		top := power(series-1, st, last)
		if parts.FuseMM > 0 { // the conductor up to the fuse has a length of its own
			far := "S" + suffix + "+"
			n.Conductors = append(n.Conductors, wiring.Conductor{ID: "C1" + suffix, Kind: wiring.Cable, From: top, To: far, MOhm: 0.1, RatingA: rated(parts.CableA), LengthMM: rated(parts.FuseMM)})
			top = far
		}
		add("F1"+suffix, wiring.Fuse, top, "OUT+")
		if dev.Name == "" {
			add("N1"+suffix, wiring.Cable, power(0, st, 0), "OUT-")
			continue
		}
		b := wiring.BMS{ID: "B1" + suffix, Kind: kind, Groups: d.Candidate.Series, BMinus: power(0, st, 0), PMinus: "OUT-"}
		if kind == wiring.Contactor {
			id := "K1" + suffix
			add(id, wiring.Contactor, power(0, st, 0), "OUT-")
			b.Switch, b.PMinus = &id, ""
		}
		for pos := range series {
			for k := range last {
				p := sense(pos, st, k)
				b.Sense = append(b.Sense, &p)
				for range nodeAt[k+1] - nodeAt[k] - 1 {
					b.Sense = append(b.Sense, nil) // a tap that cannot be reached
				}
			}
		}
		topSense := sense(series-1, st, last)
		b.Sense = append(b.Sense, &topSense)
		n.BMS = append(n.BMS, b)
	}
	return n
}

func (s *Shop) buildPlan(n Need, d DesignPlan, t store.ModuleType, lay layout.Map, dev bms.Device, w Wiring) build.Plan {
	p := build.Plan{FullVolts: w.FullV, ProspectiveAmps: w.Amps, TouchVolts: s.touch(n), FreezesHere: n.FreezesHere || !n.FrostAsked, HeaviestKg: t.ModuleKg, Order: w.Report.BuildOrder, LoadAmps: d.Candidate.LoadAmps}
	lim := limitsOf(t, d)
	p.LimitAmps = lim.DischargeAmps * float64(d.Candidate.Parallel)
	p.ChargeAmps = bmsPlan(n, d, t).ChargeAmpsLimit(dev)
	wake := "Press its button."
	if dev.WakeVolts > 0 {
		wake = fmt.Sprintf("A charger at least %.1f V above the bank wakes it.", dev.WakeVolts)
	}
	for _, b := range w.Netlist.BMS {
		x := build.BMS{ID: b.ID, Negative: b.BMinus, Load: b.PMinus, Wake: wake}
		if k := len(b.Sense); k > 0 && b.Sense[0] != nil && b.Sense[k-1] != nil {
			x.Low, x.High = *b.Sense[0], *b.Sense[k-1]
			x.Volts = w.Report.PotentialsOn[x.High] - w.Report.PotentialsOn[x.Low]
		}
		p.BMS = append(p.BMS, x)
	}
	for _, pl := range w.Places {
		l := lay
		if pl.layout != nil {
			l = *pl.layout
		}
		first, last := l.Nodes[0], l.Nodes[len(l.Nodes)-1]
		p.Modules = append(p.Modules, build.ModuleCheck{Name: pl.Number, Place: placeName(d, pl), Plus: pick(last, t.Posts), Minus: pick(first, t.Posts), Volts: pl.TotalVolts()})
	}
	return p
}

// limitsOf is what the weakest module of a design gives and takes.
func limitsOf(t store.ModuleType, d DesignPlan) bank.Limits {
	least := math.Inf(1)
	for _, p := range d.Places {
		least = min(least, p.CapacityAh)
	}
	l, _ := bank.Limits{DischargeAmps: t.DischargeA, PeakAmps: t.PeakA, ChargeAmps: t.ChargeA, ChargePeak: t.ChargePeakA}.Of(least)
	return l
}

// bmsPlan is a design as its settings sheet needs it.
func bmsPlan(n Need, d DesignPlan, t store.ModuleType) bms.Plan {
	c := d.Candidate
	ah := c.CapacityAh
	parallel := float64(c.Parallel)
	if d.Style == match.StringsFirst && len(d.Match.PartsAh) > 0 {
		ah, parallel = slices.Min(d.Match.PartsAh), 1 // each string has a BMS of its own
	}
	return bms.Plan{Groups: c.Series, Chemistry: c.Chemistry, CapacityAh: ah, LoadAmps: c.LoadAmps, ChargeAmps: n.ChargeAmps, ChargeSettingVolts: c.SettingVolts, TripVolts: c.TripVolts, CutoffVolts: n.CutoffVolts, ChargeLimitAmps: limitsOf(t, d).ChargeAmps * parallel, FreezesHere: n.FreezesHere}
}

// SaveParts keeps the ratings of what a bank is built with.
func (s *Shop) SaveParts(ctx context.Context, bankID int64, version int, in Parts, by, token string) error {
	c := checks{}
	for _, f := range []struct {
		field   string
		v, most float64
		what    string
	}{{"fuse_a", in.FuseA, 5000, "the fuse's rating in A"}, {"fuse_v", in.FuseV, 2000, "its DC volts"}, {"fuse_ka", in.FuseKA, 500, "its interrupting rating in kA"}, {"cable_a", in.CableA, 5000, "the cable's ampacity"}, {"bond_a", in.BondA, 5000, "a bond's rating"}, {"fuse_mm", in.FuseMM, 50000, "the length up to the fuse in mm"}} {
		c.need(f.v >= 0 && f.v <= f.most, f.field, "expected %s, 0 where it is not known", f.what)
	}
	if err := c.err(); err != nil {
		return err
	}
	return s.action(ctx, token, "parts", func(tx *gorm.DB) error {
		b, err := bankByID(tx, bankID)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"parts": toJSON(in), "version": b.Version + 1}).Error; err != nil {
			return err
		}
		return s.log(tx, initials(by), "parts", about{bank: b.ID}, "Ratings of parts written down")
	})
}

// PartsOf returns the ratings on record of a bank.
func PartsOf(b store.Bank) Parts {
	p, err := fromJSON[Parts](b.Parts)
	if err != nil {
		return Parts{}
	}
	return p
}

func placeName(d DesignPlan, p Place) string {
	switch {
	case d.Style == match.StringsFirst && d.Candidate.Parallel > 1:
		return fmt.Sprintf("string %c, place %d", 'a'+p.Mate, p.Position+1)
	case d.Candidate.Parallel > 1:
		return fmt.Sprintf("position %d, mate %d", p.Position+1, p.Mate+1)
	}
	return fmt.Sprintf("position %d", p.Position+1)
}

func (s *Shop) touch(n Need) float64 {
	if n.WetPlace {
		return bank.TouchWetVolts
	}
	return s.Policy.TouchVolts
}

// SettingsSheet fills in the settings of a bank's BMS.
func (s *Shop) SettingsSheet(ctx context.Context, b store.Bank, n Need, d DesignPlan) (bms.Device, []bms.Setting, error) {
	dev, ok := Device(b.BMS)
	if !ok {
		return dev, nil, nil
	}
	t, err := s.Type(ctx, d.TypeID)
	if err != nil {
		return dev, nil, err
	}
	rows, err := bms.Settings(dev, bmsPlan(n, d, t))
	return dev, rows, err
}

// SenseInput is the leads of one BMS measured against the main negative.
type SenseInput struct {
	BankID     int64
	BMS        string
	Volts      []TypedVolts // Group is the input number here
	TopToZero  *float64     // the top lead against the end of lead 0, nil where it was not read
	Instrument string
	Accuracy   float64
	By         string
	Token      string
}

// RecordSense keeps the readings and their verdict.
func (s *Shop) RecordSense(ctx context.Context, in SenseInput) (v wiring.SenseVerdict, err error) {
	b, n, d, err := s.Bank(ctx, in.BankID)
	if err != nil {
		return v, err
	}
	if d == nil {
		return v, Bad("", "design the bank first")
	}
	w, err := s.PlanWiring(ctx, b, n, *d)
	if err != nil {
		return v, err
	}
	expected := w.Expected[in.BMS]
	if len(expected) == 0 {
		return v, Bad("", "choose a BMS first: there is no sense table for %q", in.BMS)
	}
	var ms []wiring.Measured
	for _, x := range in.Volts {
		ms = append(ms, wiring.Measured{BMS: in.BMS, Input: x.Group, Volts: x.Volts})
	}
	if most := wiring.CoarsestVolts(expected); in.Accuracy > most {
		return v, Bad("accuracy_mv", "a meter that can be %.0f mV wrong cannot tell neighbouring leads apart: expected at most %.0f mV", in.Accuracy*1000, most*1000)
	}
	if in.TopToZero != nil {
		top := 0
		for i, e := range expected {
			if !math.IsNaN(e) {
				top = i
			}
		}
		ms = append(ms, wiring.Measured{BMS: in.BMS, Input: top, Volts: *in.TopToZero, AgainstZero: true})
	}
	if v, err = wiring.JudgeSense(in.BMS, expected, ms, in.Accuracy); err != nil {
		return v, Bad("", "%v", err)
	}
	err = s.action(ctx, in.Token, "sense", func(tx *gorm.DB) error {
		if err := s.bankMay(tx, b.ID, passage.Build); err != nil {
			return err
		}
		row := store.SenseCheck{BankID: b.ID, TakenBy: initials(in.By), TakenAt: s.now(), BMS: in.BMS, Instrument: in.Instrument, DesignVersion: b.DesignVersion, Verdict: toJSON(v), Token: in.Token}
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
		return s.log(tx, row.TakenBy, "sense", about{bank: b.ID}, "Sense leads of %s measured: %s", in.BMS, v.Kind)
	})
	return v, err
}

// SenseCheck is a kept measurement with its verdict and readings.
type SenseCheck struct {
	store.SenseCheck
	Judged  wiring.SenseVerdict
	Typed   map[int]string
	Current bool // taken on the design as it is now
}

// SenseChecks returns the newest check of each BMS of a bank.
func (s *Shop) SenseChecks(ctx context.Context, b store.Bank) (map[string]SenseCheck, error) {
	return s.senseChecks(s.st.DB.WithContext(ctx), b)
}

func (s *Shop) senseChecks(db *gorm.DB, b store.Bank) (map[string]SenseCheck, error) {
	var rows []store.SenseCheck
	if err := db.Where("bank_id = ?", b.ID).Order("id").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := map[string]SenseCheck{}
	for _, r := range rows {
		v, err := fromJSON[wiring.SenseVerdict](r.Verdict)
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

// OtherStyle returns the capacity in Ah that the same modules would give joined the other way.
func (s *Shop) OtherStyle(ctx context.Context, d DesignPlan) (float64, error) {
	p := match.Problem{Series: d.Candidate.ModulesInString, Parallel: d.Candidate.Parallel, Style: match.StringsFirst}
	if d.Style == match.StringsFirst {
		p.Style = match.ParallelFirst
	}
	for _, pl := range d.Places {
		p.Modules = append(p.Modules, match.Module{Name: pl.Number, CapacityAh: pl.CapacityAh, ResistanceMOhm: pl.MOhm})
	}
	r, err := match.Solve(p)
	return r.CapacityAh, err
}
