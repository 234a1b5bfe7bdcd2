package bank

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/bank/match"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// Shelf is what there is to build from: the graded modules of each type, those together with modules that are known
// only within an interval, and what is left out with the reason.
type Shelf struct {
	Types  []store.ModuleType
	Tested []window.Stock
	All    []window.Stock // nil where every module was graded
	Open   []window.Stock // of types of which the amp hours of some, or the chemistry, are not known
	Out    []record.LeftOut
}

// Stocks are those that a bank may be made of.
func (sh Shelf) Stocks() []window.Stock { return slices.Concat(sh.Tested, sh.All, sh.Open) }

// Tested are the graded modules that are free, by type.
func Tested(db *gorm.DB) (out []window.Stock, types []store.ModuleType, err error) {
	if err = db.Where("layout_id IS NOT NULL AND chemistry <> ''").Order("name").Find(&types).Error; err != nil {
		return nil, nil, err
	}
	for _, t := range types {
		st, err := emptyStock(db, t)
		if err != nil {
			return nil, nil, err
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

// Shelf returns the modules that may go into a bank, by type. allow lists watched modules that are let in by a reason
// in writing.
func (s *Room) Shelf(ctx context.Context, allow []string) (Shelf, error) {
	return s.shelf(s.Store.DB.WithContext(ctx), allow)
}

func (s *Room) shelf(db *gorm.DB, allow []string) (sh Shelf, err error) {
	if sh.Tested, sh.Types, err = Tested(db); err != nil {
		return sh, err
	}
	for i, t := range sh.Types {
		st := sh.Tested[i]
		planned, open, out, err := s.Record.Planned(db, t)
		if err != nil {
			return sh, err
		}
		all := st
		all.Modules, all.Untested = slices.Clone(st.Modules), true
		for _, e := range planned {
			all.Modules = append(all.Modules, known(e))
		}
		for _, o := range out {
			if o.MayAllow && o.Known && slices.Contains(allow, o.Number) {
				all.Modules = append(all.Modules, known(o.Estimated))
				continue
			}
			sh.Out = append(sh.Out, o)
		}
		if len(all.Modules) > len(st.Modules) {
			sh.All = append(sh.All, all)
		}
		if len(open) > 0 {
			sh.Open = append(sh.Open, unrated(all, open))
		}
	}
	if err := s.undeclared(db, &sh); err != nil {
		return sh, err
	}
	undescribed, err := nothingSaid(db)
	if err != nil {
		return sh, err
	}
	sh.Out = append(sh.Out, undescribed...)
	if len(sh.All) > 0 { // a mix may be of one type with untested modules and one without
		for _, st := range sh.Tested {
			if !slices.ContainsFunc(sh.All, func(x window.Stock) bool { return x.Type == st.Type }) {
				st.Untested = true
				sh.All = append(sh.All, st)
			}
		}
	}
	return sh, nil
}

// unrated is a stock with those besides of which nobody knows the amp hours; what it holds is known as little.
func unrated(st window.Stock, open []record.Estimated) window.Stock {
	st.Modules, st.Untested, st.Unrated = slices.Clone(st.Modules), true, true
	for _, e := range open {
		st.Modules = append(st.Modules, known(e))
	}
	slices.SortFunc(st.Modules, func(a, b window.Module) int { return strings.Compare(a.Name, b.Name) })
	return st
}

// undeclared adds the types whose chemistry nobody has declared, with the modules of which volts were read: they say
// how high it may reach. The others are left out, each with why.
func (s *Room) undeclared(db *gorm.DB, sh *Shelf) error {
	var types []store.ModuleType
	if err := db.Where("layout_id IS NOT NULL AND chemistry = ''").Order("name").Find(&types).Error; err != nil {
		return err
	}
	for _, t := range types {
		st, err := emptyStock(db, t)
		if err != nil {
			return err
		}
		planned, open, out, err := s.Record.Planned(db, t)
		if err != nil {
			return err
		}
		sh.Out = append(sh.Out, out...)
		var read []record.Estimated
		var volts []float64
		for _, e := range append(planned, open...) {
			each, err := record.EachNow(db, e.Module, st.Series)
			if err != nil {
				return err
			}
			if len(each) == 0 {
				sh.Out = append(sh.Out, record.LeftOut{Number: e.Module.Number,
					Why: fmt.Sprintf("the chemistry of %s is "+
						"not declared and no volts of this one were read: its own reading end to end is "+
						"enough to lay it out",
						t.Name)})
				continue
			}
			read, volts = append(read, e), append(volts, each...)
		}
		if len(read) == 0 {
			continue
		}
		st = unrated(st, read)
		st.Unrated = len(open) > 0
		for _, id := range survey.MayBe("", nil, volts, 0, -1, 0).Chemistries {
			if c, err := chem.Lookup(id); err == nil {
				st.MostVolts = max(st.MostVolts, c.ChargeLimitVolts)
			}
		}
		if st.MostVolts == 0 { // no chemistry stands there: that is said where the module is
			continue
		}
		sh.Types, sh.Open = append(sh.Types, t), append(sh.Open, st)
	}
	return nil
}

// mostUndescribed bounds how many modules of types that are not described are named.
const mostUndescribed = 50

// nothingSaid lists modules whose type has no layout: nothing can be planned with them yet.
func nothingSaid(db *gorm.DB) (out []record.LeftOut, err error) {
	var rows []struct{ Number, Name, Chemistry string }
	err = db.Raw("SELECT m.number, t.name, t.chemistry FROM modules m JOIN module_types t ON t.id = m.type_id WHERE "+
		"t.layout_id IS NULL AND m.bank_id IS NULL AND m.quarantined = 0 AND m.station <> 'out' "+
		"ORDER BY m.number LIMIT ?", mostUndescribed).Scan(&rows).Error
	for _, r := range rows {
		why := fmt.Sprintf("its type %s has no layout yet: map it, or declare it", r.Name)
		out = append(out, record.LeftOut{Number: r.Number, Why: why})
	}
	return out, err
}

func known(e record.Estimated) window.Module {
	return window.Module{Name: e.Module.Number, CapacityAh: e.LikelyAh, LowAh: e.LowAh, HighAh: e.HighAh,
		From: e.Estimate.Known().From(), ResistanceMOhm: e.Module.ResistanceMohm}
}

// emptyStock is a type as a stock without its modules.
func emptyStock(db *gorm.DB, t store.ModuleType) (st window.Stock, err error) {
	lay, _, err := record.LayoutOf(db, t)
	if err != nil {
		return st, err
	}
	own, err := record.CurveOf(t)
	if err != nil {
		return st, err
	}
	st = window.Stock{Type: t.Name, Chemistry: t.Chemistry, Curve: own, Series: lay.Series,
		Limits: record.TypeLimits(t)}
	below := lay.GroupsBelow()
	for k, n := range lay.Nodes[1 : len(lay.Nodes)-1] { // posts in between: halves can be used
		if slices.ContainsFunc(strings.Fields(t.Posts), func(p string) bool { return slices.Contains(n.Points, p) }) {
			st.Posts = append(st.Posts, below[k+1])
		}
	}
	return st, nil
}

// Candidates lists the ways to meet a bank's need from the shelf.
func (s *Room) Candidates(n plan.Need, sh Shelf) ([]window.Candidate, error) {
	return window.Candidates(n.Need, sh.Stocks())
}

// Advice answers for every type on the shelf which series count is right for a need.
func (s *Room) Advice(n plan.Need, sh Shelf) ([]window.Advice, error) {
	var out []window.Advice
	for _, x := range sh.Tested {
		if k := slices.IndexFunc(sh.All, func(a window.Stock) bool { return a.Type == x.Type }); k >= 0 {
			x = sh.All[k]
		}
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

// DesignInput chooses a candidate by its key, or one of tested modules by its type and counts. Allow lists watched
// modules that are let in, with the Reason in writing.
type DesignInput struct {
	BankID   int64
	Version  int
	Key      string
	Type     string
	Series   int
	Parallel int
	Style    match.Style
	Allow    []string
	Reason   string
	Token    string
}

// DesignBank matches modules into the chosen candidate and reserves them.
func (s *Room) DesignBank(ctx context.Context, in DesignInput) (d plan.Design, err error) {
	if len(in.Allow) > 0 {
		if text := gates.ReasonText(in.Reason, kernel.Signed(ctx)); text != "" {
			return d, kernel.Bad("reason", "watched modules go into a bank only by a reason in writing: %s", text)
		}
	}
	if in.Key == "" {
		in.Key = window.Candidate{Type: in.Type, Series: in.Series, Parallel: in.Parallel}.Key()
	}
	// Matching a large stock may take long: it is done before the transaction, and once more in it only where the data
	// changed meanwhile. The form's own token is one change.
	before := s.Store.Records()
	early, earlyErr := s.matchedFor(ctx, in)
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
		d = early
		if err = earlyErr; s.Store.Records() > before+1 {
			d, err = s.matched(tx, in, n)
		}
		if err != nil {
			return err
		}
		if err := s.mayAll(tx, in, d); err != nil {
			return err
		}
		return s.reserve(tx, b, in, d)
	})
	return d, err
}

// mayAll asks for every module whether it may be planned with, as things stand now: an old grade does not stand for
// what is known since.
func (s *Room) mayAll(tx *gorm.DB, in DesignInput, d plan.Design) error {
	for _, pl := range d.Places {
		m, err := kernel.ModuleByNumber(tx, pl.Number)
		if err != nil {
			return err
		}
		if slices.Contains(in.Allow, m.Number) {
			m.Allowed = fmt.Sprintf("%s: %s", kernel.Acts(tx), strings.TrimSpace(in.Reason))
			if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Update("allowed", m.Allowed).Error; err != nil {
				return err
			}
		}
		t, err := kernel.TypeByID(tx, m.TypeID)
		if err != nil {
			return err
		}
		if err := s.Record.May(tx, m, t, passage.Design); err != nil {
			return err
		}
	}
	return nil
}

// matchedFor is matched for a bank as it is now.
func (s *Room) matchedFor(ctx context.Context, in DesignInput) (d plan.Design, err error) {
	db := s.Store.DB.WithContext(ctx)
	b, err := BankByID(db, in.BankID)
	if err != nil {
		return d, err
	}
	n, err := b.Need.Get()
	if err != nil {
		return d, err
	}
	return s.matched(db, in, n)
}

// matched fills the chosen way with modules of the shelf, as it stands now.
func (s *Room) matched(tx *gorm.DB, in DesignInput, n plan.Need) (d plan.Design, err error) {
	sh, err := s.shelf(tx, in.Allow)
	if err != nil {
		return d, err
	}
	cs, err := s.Candidates(n, sh)
	if err != nil {
		return d, kernel.Bad("", "%v", err)
	}
	k := slices.IndexFunc(cs, func(x window.Candidate) bool { return x.Key() == in.Key })
	if k < 0 {
		return d, kernel.Bad("", "%q is not one of the ways that the stock allows now", in.Key)
	}
	c := cs[k]
	if c.Refused {
		return d, kernel.Stopped(c.Findings)
	}
	stocks := sh.Tested
	switch {
	case c.Unrated || c.Chemistry == "":
		stocks = sh.Open
	case c.Untested:
		stocks = sh.All
	}
	res, err := solve(c, stocks, in.Style, uint64(in.BankID))
	if err != nil {
		return d, kernel.Bad("", "%v", err)
	}
	t := slices.IndexFunc(sh.Types, func(x store.ModuleType) bool { return x.Name == c.Type })
	d = plan.Matched(sh.Types[t].ID, c, in.Style, res)
	d.DesignedBy, d.DesignedAt = kernel.Acts(tx), s.Now().Format(time.RFC3339)
	d.Places, err = places(tx, d)
	return d, err
}

// solve matches modules into a candidate; one of several types is matched type by type, each in its part of the string.
func solve(c window.Candidate, stocks []window.Stock, style match.Style, seed uint64) (out match.Result, err error) {
	types := c.Types
	if len(types) == 0 {
		types = slices.Repeat([]string{c.Type}, c.ModulesInString)
	}
	for i := 0; i < len(types); {
		k := i
		for k < len(types) && types[k] == types[i] {
			k++
		}
		at := slices.IndexFunc(stocks, func(x window.Stock) bool { return x.Type == types[i] })
		if at < 0 {
			return out, fmt.Errorf("no modules of %s are in stock", types[i])
		}
		p := match.Problem{Series: k - i, Parallel: c.Parallel, Style: style, Seed: seed}
		for _, m := range stocks[at].Modules {
			p.Modules = append(p.Modules, match.Module{Name: m.Name, CapacityAh: m.CapacityAh,
				ResistanceMOhm: m.ResistanceMOhm, Type: types[i]})
		}
		solve := match.Solve
		if c.Unrated {
			solve = match.InOrder
		}
		r, err := solve(p)
		if err != nil {
			return out, err
		}
		out = match.InSeries(out, r)
		i = k
	}
	return out, nil
}

// reserve takes the modules of a design out of the stock, and keeps the design with its bank.
func (s *Room) reserve(tx *gorm.DB, b store.Bank, in DesignInput, d plan.Design) error {
	for _, pl := range d.Places {
		to := map[string]any{"bank_id": b.ID, "bank_doubt": ""}
		if !pl.Provisional() || slices.Contains(in.Allow, pl.Number) { // what was not graded goes on along the path
			to["station"], to["station_since"] = station.Wire, s.Now()
		}
		if err := tx.Model(&store.Module{}).Where("id = ?", pl.ModuleID).Updates(to).Error; err != nil {
			return err
		}
		if err := s.Log(tx, "design", kernel.About{Module: pl.ModuleID, Bank: b.ID},
			"Put into bank %s, position %d", b.Name, pl.Position+1); err != nil {
			return err
		}
		if slices.Contains(in.Allow, pl.Number) {
			if err := s.Log(tx, "allowed", kernel.About{Module: pl.ModuleID, Bank: b.ID},
				"Watched, and let in all the same: %s", strings.TrimSpace(in.Reason)); err != nil {
				return err
			}
		}
	}
	err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"design": store.JSONOf(d),
		"design_token": in.Token, "rules_version": kernel.RulesVersion, "bms": "", "device": "",
		"station":       station.Wire,
		"station_since": s.Now(), "design_version": b.DesignVersion + 1, "version": b.Version + 1}).Error
	if err != nil {
		return err
	}
	holds := ""
	if ah := d.Match.CapacityAh; ah > 0 {
		holds = fmt.Sprintf(", %.1f Ah", ah)
	}
	return s.Log(tx, "design", kernel.About{Bank: b.ID}, "Designed: %s in a string, %s in series, %d in "+
		"parallel%s", d.Candidate.Mix(), numeral.Count(d.Candidate.Series, "group"), d.Candidate.Parallel, holds)
}

// sendBack puts modules that were taken out of a bank where they belong: graded ones into the stock, the others where
// they are on their path.
func (s *Room) sendBack(tx *gorm.DB, bankID int64, b store.Bank) error {
	if !b.Design.Set() {
		return nil
	}
	d, err := b.Design.Get()
	if err != nil {
		return err
	}
	for _, pl := range d.Places {
		m, err := kernel.ByID[store.Module](tx, pl.ModuleID, "module")
		if err != nil {
			return err
		}
		if m.Fitness == grade.Accept || m.Fitness == grade.Watch || m.BankID != nil {
			continue
		}
		t, err := kernel.TypeByID(tx, m.TypeID)
		if err != nil {
			return err
		}
		at, err := s.Record.StationOf(tx, m, t)
		if err != nil {
			return err
		}
		if err := s.MoveTo(tx, &m, at); err != nil {
			return err
		}
	}
	return nil
}

// foreign gives a place of another type than its design's what it is wired by.
func foreign(db *gorm.DB, p *plan.Place, t store.ModuleType) error {
	of, err := record.PlanType(t)
	if err != nil {
		return err
	}
	lay, _, err := record.LayoutOf(db, t)
	if err != nil {
		return err
	}
	p.Type, p.Layout = &of, &lay
	return nil
}
