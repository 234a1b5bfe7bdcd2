package shop

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/bank"
	"pandrel/core/bms"
	"pandrel/core/build"
	"pandrel/core/chem"
	"pandrel/core/finding"
	"pandrel/core/grade"
	"pandrel/core/layout"
	"pandrel/core/match"
	"pandrel/core/wiring"
	"pandrel/store"
)

// Need is what a client wants, as the form has it.
type Need struct {
	bank.Need
	ChargeAmps  float64
	PeakAmps    float64
	FreezesHere bool
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
	c.need(in.Need.ChargeAmps >= 0 && in.Need.ChargeAmps < 1e4, "charge_a", "expected 0 A or more")
	c.need(in.Need.PeakAmps >= 0 && in.Need.PeakAmps < 1e4, "peak_a", "expected 0 A or more")
	if err := c.err(); err != nil {
		return store.Bank{}, err
	}
	b := store.Bank{Name: in.Name, Client: in.Client, Need: toJSON(in.Need), Station: Design, StationSince: s.now(), Version: 1, CreatedAt: s.now()}
	err := s.action(ctx, in.Token, "need", func(tx *gorm.DB) error {
		var same store.Bank
		if err := tx.Where("name = ? COLLATE NOCASE AND id <> ?", b.Name, in.ID).Take(&same).Error; err == nil {
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
	return b, n, &d, err
}

// Stock returns the graded modules that may go into a bank, by type. Modules of class C, watched,
// are parallel mates only and are left out.
func (s *Shop) Stock(ctx context.Context) ([]bank.Stock, []store.ModuleType, error) {
	return stock(s.st.DB.WithContext(ctx))
}

func stock(db *gorm.DB) ([]bank.Stock, []store.ModuleType, error) {
	var types []store.ModuleType
	if err := db.Where("layout_id IS NOT NULL").Order("name").Find(&types).Error; err != nil {
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
		st := bank.Stock{Type: t.Name, Chemistry: chem.ID(t.Chemistry), Curve: own, Series: lay.Series}
		var mods []store.Module
		err = db.Where("type_id = ? AND fitness = ? AND bank_id IS NULL AND quarantined = 0 AND capacity_ah > 0", t.ID, string(grade.Accept)).Order("number").Find(&mods).Error
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
	st = slices.DeleteFunc(st, func(x bank.Stock) bool { return x.Chemistry == "" })
	return bank.Candidates(n.Need, st)
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
		for _, pl := range plan.Places {
			if err := tx.Model(&store.Module{}).Where("id = ?", pl.ModuleID).Updates(map[string]any{"bank_id": b.ID, "station": Wire, "station_since": s.now()}).Error; err != nil {
				return err
			}
			if err := s.log(tx, plan.DesignedBy, "design", about{module: pl.ModuleID, bank: b.ID}, "Put into bank %s, position %d", b.Name, pl.Position+1); err != nil {
				return err
			}
		}
		err = tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": toJSON(plan), "rules_version": RulesVersion, "bms": "", "station": Wire, "station_since": s.now(), "version": b.Version + 1}).Error
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
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": "", "bms": "", "station": Design, "station_since": s.now(), "version": b.Version + 1}).Error; err != nil {
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
	return bms.Need{Groups: d.Candidate.Series, Chemistry: d.Candidate.Chemistry, LoadAmps: d.Candidate.LoadAmps, PeakAmps: n.PeakAmps, ChargeAmps: n.ChargeAmps, CapacityAh: d.Candidate.CapacityAh, FreezesHere: n.FreezesHere}
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
		d, err := fromJSON[DesignPlan](b.Design)
		if err != nil {
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
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"bms": name, "version": b.Version + 1}).Error; err != nil {
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
	// Expected is the sense table of each BMS, input 0 first.
	Expected map[string][]float64
	Steps    []build.Step
	FullV    float64
	Amps     float64 // prospective
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
	w := Wiring{Netlist: netlist(d, t, lay, dev), SenseOf: map[string]string{}, Expected: map[string][]float64{}}
	if w.Report, err = wiring.Check(w.Netlist); err != nil {
		return w, err
	}
	if len(stale) > 0 {
		w.Report.Findings = finding.Sorted(append(w.Report.Findings, finding.Finding{Level: finding.Caution, Code: "volts-before-test", Subject: stale[0], Measured: finding.Of(float64(len(stale))), Limit: finding.Of(0), Unit: "modules", Rule: "work, station 8",
			Text: fmt.Sprintf("The voltages of %s were taken before the last test, which changed their charge: potentials and sense table are not what will be measured.", strings.Join(stale, ", ")), Do: "Bring them to storage charge, let them rest, and survey them again before wiring."}))
	}
	for _, row := range w.Report.SenseTable {
		if row.ExpectedV == nil {
			continue
		}
		w.Expected[row.BMS] = append(w.Expected[row.BMS], *row.ExpectedV)
		number, point, _ := strings.Cut(row.Point, ".")
		for k, node := range lay.Nodes {
			if slices.Contains(node.Points, point) {
				w.SenseOf[fmt.Sprintf("%s/%d", number, k)] = fmt.Sprint(row.Input)
			}
		}
	}
	w.FullV = d.Candidate.FullVolts
	w.Amps = prospective(d)
	w.Steps = build.Steps(s.buildPlan(n, d, t, lay, dev, w))
	return w, nil
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
		if len(last) == len(p.Volts) {
			p.Volts = slices.Clone(p.Volts)
			for g := range p.Volts {
				p.Volts[g] = last[g+1]
			}
		}
		var tested int64
		err = db.Raw(`SELECT count(*) FROM (SELECT uploaded_at AS at FROM traces WHERE module_id = ? UNION ALL SELECT taken_at FROM hand_results WHERE module_id = ?)
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

// netlist writes the design down: bars between positions, bars and bonds between mates, a fuse in
// each plus, the BMS in each minus.
func netlist(d DesignPlan, t store.ModuleType, lay layout.Map, dev bms.Device) wiring.Netlist {
	n := wiring.Netlist{Terminals: wiring.Terminals{Plus: []string{"OUT+"}, Minus: []string{"OUT-"}}}
	at := map[[2]int]string{}
	last := len(lay.Nodes) - 1
	nodeAt := lay.GroupsBelow() // the node of the netlist
	for _, p := range d.Places {
		m := wiring.Module{ID: p.Number, Chemistry: d.Candidate.Chemistry, Posts: map[string]int{}}
		for _, v := range p.Volts {
			// Ohmic resistance is about half the DC resistance at 10 s (handbook §10).
			m.Groups = append(m.Groups, wiring.Group{Volts: v, Ah: p.CapacityAh, MOhm: p.MOhm / 2 / float64(max(1, len(p.Volts)))})
		}
		for k, node := range lay.Nodes {
			for _, point := range node.Points {
				m.Posts[point] = nodeAt[k]
			}
		}
		n.Modules = append(n.Modules, m)
		at[[2]int{p.Position, p.Mate}] = p.Number
	}
	power := func(pos, mate, node int) string { return at[[2]int{pos, mate}] + "." + pick(lay.Nodes[node], t.Posts) }
	sense := func(pos, mate, node int) string {
		return at[[2]int{pos, mate}] + "." + pick(lay.Nodes[node], t.Pins+" "+t.Posts)
	}
	kind := wiring.Transistor
	if dev.Switch == bms.Relay {
		kind = wiring.Contactor
	}
	add := func(id, kind, from, to string) {
		n.Conductors = append(n.Conductors, wiring.Conductor{ID: id, Kind: kind, From: from, To: to, MOhm: 0.1})
	}
	series := d.Candidate.ModulesInString
	strs := 1
	if d.Style == match.StringsFirst {
		strs = d.Candidate.Parallel
	} else {
		for pos := range series {
			for mate := 1; mate < d.Candidate.Parallel; mate++ {
				for k := range lay.Nodes {
					kd := wiring.Bond
					if k == 0 || k == last {
						kd = wiring.Bar
					}
					add(fmt.Sprintf("J%d-%d-%d", pos+1, mate, k), kd, power(pos, mate-1, k), power(pos, mate, k))
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
		add("F1"+suffix, wiring.Fuse, power(series-1, st, last), "OUT+")
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
		top := sense(series-1, st, last)
		b.Sense = append(b.Sense, &top)
		n.BMS = append(n.BMS, b)
	}
	return n
}

func (s *Shop) buildPlan(n Need, d DesignPlan, t store.ModuleType, lay layout.Map, dev bms.Device, w Wiring) build.Plan {
	p := build.Plan{FullVolts: w.FullV, ProspectiveAmps: w.Amps, TouchVolts: s.touch(n), FreezesHere: n.FreezesHere, Order: w.Report.BuildOrder, Overcurrent: map[string]bool{}, Switching: map[string]bool{}, Relay: dev.Switch == bms.Relay}
	for _, c := range w.Netlist.Conductors {
		p.Overcurrent[c.ID] = c.Kind == wiring.Fuse || c.Kind == wiring.Breaker
		p.Switching[c.ID] = c.Kind == wiring.Contactor
	}
	for _, b := range w.Netlist.BMS {
		p.BMS = append(p.BMS, b.ID)
	}
	p.Wake = "Press its button."
	if dev.WakeVolts > 0 {
		p.Wake = fmt.Sprintf("A charger at least %.1f V above the bank wakes it.", dev.WakeVolts)
	}
	first, last := lay.Nodes[0], lay.Nodes[len(lay.Nodes)-1]
	for _, pl := range d.Places {
		p.Modules = append(p.Modules, build.ModuleCheck{Name: pl.Number, Place: placeName(d, pl), Plus: pick(last, t.Posts), Minus: pick(first, t.Posts), Volts: pl.TotalVolts()})
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
func SettingsSheet(b store.Bank, n Need, d DesignPlan) (bms.Device, []bms.Setting, error) {
	dev, ok := Device(b.BMS)
	if !ok {
		return dev, nil, nil
	}
	c := d.Candidate
	ah := c.CapacityAh
	if d.Style == match.StringsFirst && len(d.Match.PartsAh) > 0 {
		ah = slices.Min(d.Match.PartsAh) // each string has a BMS of its own
	}
	rows, err := bms.Settings(dev, bms.Plan{Groups: c.Series, Chemistry: c.Chemistry, CapacityAh: ah, LoadAmps: c.LoadAmps, ChargeAmps: n.ChargeAmps, ChargeSettingVolts: c.SettingVolts, TripVolts: c.TripVolts, FreezesHere: n.FreezesHere})
	return dev, rows, err
}

// SenseInput is the leads of one BMS measured against the main negative.
type SenseInput struct {
	BankID     int64
	BMS        string
	Volts      []TypedVolts // Group is the input number here
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
	if v, err = wiring.JudgeSense(in.BMS, expected, ms, in.Accuracy); err != nil {
		return v, Bad("", "%v", err)
	}
	err = s.action(ctx, in.Token, "sense", func(tx *gorm.DB) error {
		row := store.SenseCheck{BankID: b.ID, TakenBy: initials(in.By), TakenAt: s.now(), BMS: in.BMS, Instrument: in.Instrument, DesignVersion: b.Version, Verdict: toJSON(v), Token: in.Token}
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
	var rows []store.SenseCheck
	db := s.st.DB.WithContext(ctx)
	if err := db.Where("bank_id = ?", b.ID).Order("id").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := map[string]SenseCheck{}
	for _, r := range rows {
		v, err := fromJSON[wiring.SenseVerdict](r.Verdict)
		if err != nil {
			return nil, err
		}
		c := SenseCheck{SenseCheck: r, Judged: v, Typed: map[int]string{}, Current: r.DesignVersion == b.Version}
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

// PutInService hands a bank over, once its wiring has no stop and the newest sense check of every
// BMS is good and was taken on this very design.
func (s *Shop) PutInService(ctx context.Context, bankID int64, version int, by, token string) error {
	b, n, d, err := s.Bank(ctx, bankID)
	if err != nil {
		return err
	}
	if d == nil || b.BMS == "" {
		return Bad("", "design the bank and choose its BMS first")
	}
	w, err := s.PlanWiring(ctx, b, n, *d)
	if err != nil {
		return err
	}
	if fs := Standing(w.Report.Findings); len(fs) > 0 {
		return &Blocked{fs}
	}
	checks, err := s.SenseChecks(ctx, b)
	if err != nil {
		return err
	}
	for _, x := range w.Netlist.BMS {
		c, ok := checks[x.ID]
		if !ok || !c.Current || c.Judged.Kind != wiring.Good {
			return blockedBy("sense-not-good", x.ID, fmt.Sprintf("The sense leads of %s have no good check on this design.", x.ID), "Measure every lead against the main negative and type the readings in.")
		}
	}
	return s.action(ctx, token, "service", func(tx *gorm.DB) error {
		res := tx.Model(&store.Bank{}).Where("id = ? AND version = ? AND station = ?", b.ID, version, Wire).Updates(map[string]any{"station": Keep, "station_since": s.now(), "version": version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			return &Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{}}
		}
		if err := tx.Model(&store.Module{}).Where("bank_id = ?", b.ID).Updates(map[string]any{"station": Keep, "station_since": s.now()}).Error; err != nil {
			return err
		}
		return s.log(tx, initials(by), "service", about{bank: b.ID}, "Put in service")
	})
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
