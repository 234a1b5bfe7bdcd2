package desk

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/module/teardown"
	"pandrel/core/procedure/standing"
	"pandrel/core/test/logview"
	"pandrel/core/test/parts"
	"pandrel/core/test/trace"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/record"
	"pandrel/shop/test"
	"pandrel/store"
)

// Waiting is what waits at a station. Oldest is zero where nothing does.
type Waiting struct {
	Station station.Station
	Count   int
	Oldest  time.Time
}

// Path returns what waits at each station of the path, quarantined modules left out. At receive
// that is lots without modules, at keep the banks in service.
func (s *Room) Path(ctx context.Context) ([]Waiting, error) {
	db := s.Store.DB.WithContext(ctx)
	var rows []struct {
		Station station.Station
		N       int
		Oldest  string
	}
	err := db.Raw(`SELECT station, count(*) AS n, min(station_since) AS oldest FROM modules WHERE quarantined = 0
		AND station NOT IN ('wire','keep') GROUP BY station
		UNION ALL SELECT station, count(*), min(station_since) FROM banks WHERE station IN ('wire','keep') GROUP BY
		station
		UNION ALL SELECT 'receive', count(*), min(created_at) FROM lots WHERE NOT EXISTS (SELECT 1 FROM modules WHERE
		lot_id = lots.id)`).Scan(&rows).Error
	if err != nil {
		return nil, err
	}
	out := make([]Waiting, len(station.Path))
	for i, st := range station.Path {
		out[i].Station = st
		for _, r := range rows {
			if r.Station == st && r.N > 0 {
				out[i].Count = r.N
				out[i].Oldest = record.ParseTime(r.Oldest)
			}
		}
	}
	return out, nil
}

// At is one page of the modules that wait at a station, those waiting longest first.
func (s *Room) At(ctx context.Context, at station.Station, no, size int) (rows []record.Row, p kernel.Page, err error) {
	db := s.Store.DB.WithContext(ctx)
	var n int64
	if err = db.Model(&store.Module{}).Where("station = ? AND quarantined = 0", at).Count(&n).Error; err != nil {
		return nil, p, err
	}
	p = kernel.PageOf(no, size, int(n))
	err = db.Raw(record.RowSelect+"WHERE m.station = ? AND m.quarantined = 0 ORDER BY m.station_since, m.number "+
		"LIMIT ? OFFSET ?", at, p.Size, p.Offset()).Scan(&rows).Error
	return rows, p, err
}

// Quarantined lists the modules that may go nowhere.
func (s *Room) Quarantined(ctx context.Context) ([]record.Row, error) {
	var rows []record.Row
	err := s.Store.DB.WithContext(ctx).Raw(record.RowSelect +
		"WHERE m.quarantined = 1 ORDER BY m.number").Scan(&rows).Error
	return rows, err
}

// Next is a piece of advice for the today page. Href is filled by the web.
type Next struct {
	Station station.Station
	Module  string
	Bank    *store.Bank
	Text    string
	Since   time.Time
	Count   int
}

// NextModule returns the module that should come next at a station after the given one, "" where none waits.
func (s *Room) NextModule(ctx context.Context, at station.Station, after string) (string, error) {
	m, _, err := kernel.Find[store.Module](s.Store.DB.WithContext(ctx).Where(
		"station = ? AND quarantined = 0 AND number <> ?", at, after).Clauses(
		clause.OrderBy{Expression: clause.Expr{SQL: "number > ? DESC, number", Vars: []any{after}}}))
	return m.Number, err
}

// Pallet is how far the survey of one lot is, seen from one of its modules.
type Pallet struct {
	Lot      store.Lot
	Done     int
	Total    int
	Left     []string // numbers that wait for a survey, the module in hand not counted
	LeftMore int      // and how many more than are listed
}

// maxLeft is how many numbers are listed.
const maxLeft = 8

// PalletOf returns how far the survey of a module's lot is.
func (s *Room) PalletOf(ctx context.Context, m store.Module) (p Pallet, err error) {
	if p.Lot, err = s.Record.Lot(ctx, m.LotID); err != nil {
		return p, err
	}
	c, err := s.Record.LotCoverage(ctx, m.LotID)
	if err != nil {
		return p, err
	}
	p.Done, p.Total = c.Surveyed, c.Total
	p.LeftMore = c.LeftMore
	for _, n := range c.Left {
		switch {
		case n == m.Number:
		case len(p.Left) < maxLeft:
			p.Left = append(p.Left, n)
		default:
			p.LeftMore++
		}
	}
	return p, nil
}

// Today is what the first page says.
type Today struct {
	Path        []Waiting
	Quarantined []record.Row
	Reread      []record.Row // readings to take again before anything else
	Suspects    []record.Row // second survey wanted
	Banks       []BankRow
	Tests       []test.TestTrouble    // tests that something stands against
	InService   []procedure.InService // banks in service that would be refused today
	BankTrouble []BankTrouble         // banks built, or being built, with what must not be in them
	Held        []record.Row          // modules that something holds
	Opened      []OpenModule          // modules that are open, or were closed with a part missing
	OutOfWork   []OpenService         // owners' banks that are not back yet
	Standing    int                   // banks that stand, built by somebody else
	StandHeld   []OpenService         // of these, those that must not be in work
	Events      []store.Event
	Rejected    int
	Modules     int
	StockCount  int
}

// BankTrouble is a bank with modules that must not be in it as things stand.
type BankTrouble struct {
	Bank     store.Bank
	Troubles []passage.Trouble
}

// bankTroubles lists the designed banks with troubled modules, those in service first.
func bankTroubles(db *gorm.DB) (out []BankTrouble, err error) {
	var banks []store.Bank
	troubled := db.Model(&store.Module{}).Select("bank_id").Where("bank_id IS NOT NULL").Where(record.Troubled(db))
	if err := db.Where("design <> '' AND id IN (?)", troubled).Order("station <> 'keep', id DESC").Limit(20).
		Find(&banks).Error; err != nil {
		return nil, err
	}
	for _, b := range banks {
		ts, err := record.Troubles(db, "bank_id = ?", b.ID)
		if err != nil {
			return nil, err
		}
		out = append(out, BankTrouble{b, ts})
	}
	return out, nil
}

// OpenModule is a module that was opened and is not whole again.
type OpenModule struct {
	Number  string
	Missing string // what is missing, "" where it is only open
}

// OpenService is an owner's bank on its way out of work or back.
type OpenService struct {
	ID         int64
	Name, Next string
}

// unfinished collects what was begun on the bench and not brought to an end.
func (s *Room) unfinished(db *gorm.DB, t *Today) error {
	var mods []store.Module
	if err := db.Raw("SELECT * FROM modules WHERE quarantined = 0 AND id IN (SELECT module_id FROM " +
		"counting_teardown_records) ORDER BY number LIMIT 50").Scan(&mods).Error; err != nil {
		return err
	}
	for _, m := range mods {
		o, ok, err := record.OpeningOf(db, m)
		if err != nil {
			return err
		}
		missing := ""
		if f := teardown.Missing(o.Findings); f != nil {
			missing = f.Text
		}
		if ok && o.Begun && (!o.Done || missing != "") {
			t.Opened = append(t.Opened, OpenModule{m.Number, missing})
		}
	}
	var services []int64
	if err := db.Model(&store.Bank{}).Where("origin = ? OR design <> '' AND id IN (SELECT subject_id FROM "+
		"counting_step_records WHERE kind = 'standing')", store.Stands).Order("id DESC").Limit(30).Pluck("id",
		&services).Error; err != nil {
		return err
	}
	for _, id := range services {
		v, err := procedure.LoadStanding(db, id)
		if err != nil {
			return err
		}
		stands := v.Standing.Origin == store.Stands
		if stands {
			t.Standing++
		}
		if told := standing.Told(finding.Standing(v.Holds)); told != "" && stands { // others have gates of their own
			t.StandHeld = append(t.StandHeld, OpenService{id, v.Standing.Name, told})
		}
		for _, st := range v.Steps() {
			if len(v.Records) > 0 && !st.Done {
				t.OutOfWork = append(t.OutOfWork, OpenService{id, v.Standing.Name, st.Title})
				break
			}
		}
	}
	return nil
}

// BankRow is a bank in a list.
type BankRow struct {
	store.Bank
	Modules int
}

// Today collects the first page.
func (s *Room) Today(ctx context.Context) (t Today, err error) {
	db := s.Store.DB.WithContext(ctx)
	if t.Path, err = s.Path(ctx); err != nil {
		return t, err
	}
	if t.Quarantined, err = s.Quarantined(ctx); err != nil {
		return t, err
	}
	if err = db.Raw(record.RowSelect+"WHERE m.verdict IN ? AND m.quarantined = 0 ORDER BY m.number LIMIT 20",
		survey.Waiting).Scan(&t.Reread).Error; err != nil {
		return t, err
	}
	if err = db.Raw(record.RowSelect+"WHERE m.verdict IN ? AND m.quarantined = 0 AND m.station NOT IN "+
		"('out','wire','keep') ORDER BY m.number LIMIT 20", survey.Askew).Scan(&t.Suspects).Error; err != nil {
		return t, err
	}
	if t.Banks, err = s.Banks(ctx); err != nil {
		return t, err
	}
	if err = s.unfinished(db, &t); err != nil {
		return t, err
	}
	if err = db.Raw(record.RowSelect + "WHERE m.hold <> '' AND m.quarantined = 0 AND m.bank_id IS NULL AND " +
		"m.station <> 'out' ORDER BY m.number LIMIT 20").Scan(&t.Held).Error; err != nil {
		return t, err
	}
	if t.Tests, err = s.Tests.TestTroubles(ctx, 0); err != nil {
		return t, err
	}
	if t.InService, err = s.Procedure.DoubtedInService(ctx); err != nil {
		return t, err
	}
	if t.BankTrouble, err = bankTroubles(db); err != nil {
		return t, err
	}
	var counts struct {
		Modules    int
		Rejected   int
		StockCount int
	}
	err = db.Raw(`SELECT (SELECT count(*) FROM modules) AS modules, (SELECT count(*) FROM modules WHERE station =
		'out' AND quarantined = 0) AS rejected,
		(SELECT count(*) FROM modules WHERE fitness = ? AND station = 'design') AS
		stock_count`, grade.Accept).Scan(&counts).Error
	if err != nil {
		return t, err
	}
	t.Modules, t.Rejected, t.StockCount = counts.Modules, counts.Rejected, counts.StockCount
	err = db.Where("kind <> 'received'").Order("at DESC, id DESC").Limit(8).Find(&t.Events).Error
	return t, err
}

// Banks lists the banks, newest first.
func (s *Room) Banks(ctx context.Context) ([]BankRow, error) {
	var rows []BankRow
	err := s.Store.DB.WithContext(ctx).Raw("SELECT b.*, (SELECT count(*) FROM modules m WHERE m.bank_id = b.id) AS " +
		"modules FROM banks b WHERE b.origin = 'built' ORDER BY b.id DESC").Scan(&rows).Error
	return rows, err
}

// LotRow is a lot in a list, with what it cost per module and per rated kWh.
type LotRow struct {
	store.Lot
	Modules  int
	RatedKWh float64        `gorm:"column:rated_kwh"`
	Costs    window.LotCost `gorm:"-"`
}

// Lots lists the lots, newest first.
func (s *Room) Lots(ctx context.Context) ([]LotRow, error) {
	var rows []LotRow
	err := s.Store.DB.WithContext(ctx).Raw(`SELECT l.*, count(m.id) AS modules,
		coalesce(sum(t.rated_ah * CASE WHEN t.plate_volts > 0 THEN t.plate_volts ELSE 0 END) / 1000, 0) AS rated_kwh
		FROM lots l LEFT JOIN modules m ON m.lot_id = l.id AND m.parent_id IS NULL
		LEFT JOIN module_types t ON t.id = m.type_id GROUP BY l.id
		ORDER BY l.arrived_on DESC, l.id DESC`).Scan(&rows).Error
	for i := range rows {
		rows[i].Costs = window.CostOfLot(rows[i].Price, rows[i].Freight, rows[i].Modules,
			rows[i].RatedKWh).OnFullPallets(rows[i].Price, rows[i].Modules, rows[i].PalletHolds, rows[i].PalletFreight)
	}
	return rows, err
}

// Figures are what the tested and graded modules of a lot, or of a type, came to: their state of health in per cent,
// and their resistance in milliohms where one was measured.
type Figures struct {
	SoHPct []float64
	MOhm   []float64
}

// FiguresOf collects the figures of what belongs to a lot or a type: of is lot_id or type_id.
func (s *Room) FiguresOf(ctx context.Context, of string, id int64) (f Figures, err error) {
	if of != "lot_id" && of != "type_id" {
		return f, kernel.Missing("figures of %q", of)
	}
	var rows []struct{ CapacityAh, RatedAh, ResistanceMohm float64 }
	err = s.Store.DB.WithContext(ctx).Raw("SELECT m.capacity_ah, t.rated_ah, m.resistance_mohm FROM modules m JOIN "+
		"module_types t ON t.id = m.type_id WHERE m."+of+" = ? AND m.capacity_ah > 0 ORDER BY m.number",
		id).Scan(&rows).Error
	for _, r := range rows {
		if r.RatedAh > 0 {
			f.SoHPct = append(f.SoHPct, r.CapacityAh/r.RatedAh*100)
		}
		if r.ResistanceMohm > 0 {
			f.MOhm = append(f.MOhm, r.ResistanceMohm)
		}
	}
	return f, err
}

// LotClaim compares what the seller of a lot said with what was tested so far; ok is false where nothing can be said.
func (s *Room) LotClaim(ctx context.Context, lot store.Lot) (f finding.Finding, ok bool, err error) {
	var soh []float64
	err = s.Store.DB.WithContext(ctx).Raw("SELECT m.capacity_ah / t.rated_ah FROM modules m JOIN module_types t ON "+
		"t.id = m.type_id WHERE m.lot_id = ? AND m.parent_id IS NULL AND m.capacity_ah > 0 AND m.class <> '' "+
		"ORDER BY m.number",
		lot.ID).Scan(&soh).Error
	if err != nil {
		return f, false, err
	}
	f, ok = window.Claim(lot.ClaimedSohPct, soh)
	return f, ok, nil
}

// Types lists the module types by name.
func (s *Room) Types(ctx context.Context) ([]store.ModuleType, error) {
	var rows []store.ModuleType
	err := s.Store.DB.WithContext(ctx).Order("name").Find(&rows).Error
	return rows, err
}

// Layouts returns the layouts a type had, newest first.
func (s *Room) Layouts(ctx context.Context, typeID int64) ([]store.Layout, error) {
	var rows []store.Layout
	err := s.Store.DB.WithContext(ctx).Where("type_id = ?", typeID).Order("id DESC").Find(&rows).Error
	return rows, err
}

// IsStruck reports whether a row of a module was struck out.
func (l Life) IsStruck(kind string, id int64) bool {
	_, ok := l.Struck[fmt.Sprintf("%s-%d", kind, id)]
	return ok
}

// SurveyView is a survey with its judgement.
type SurveyView struct {
	store.Survey
	Result survey.Result
}

// LogView is a test with its log, the judgement and its picture's data.
type LogView struct {
	store.Test
	Result trace.Result
	Thin   logview.Thin
	Size   int64
	Newer  int64 // the reading of the same file that took its place, 0 for none
}

// EndedBy is the group of the module that ended the discharge, 0 for not known.
func (t LogView) EndedBy() int {
	if t.Result.LimitingGroup == nil {
		return 0
	}
	return t.First() + *t.Result.LimitingGroup - 1
}

// Series is how many groups were on the clamps, of a module of so many.
func (t LogView) Series(module int) int {
	if t.FromGroup > 0 {
		return t.ToGroup - t.FromGroup + 1
	}
	return max(1, module)
}

// Life is all that is on record of one module.
type Life struct {
	Module      store.Module
	Type        store.ModuleType
	Lot         store.Lot
	Bank        *store.Bank
	Surveys     []SurveyView
	Logs        []LogView
	Typed       []record.Tested // that a person typed or read, newest first
	Inspections []store.Inspection
	Struck      map[string]store.Strike // what was taken back as typed by mistake, by kind and row: listed struck too
	Sets        []store.ProbeSet
	Events      []store.Event
	Grade       *grade.Grade
	Result      record.Counts
	PartTests   []record.Tested // of parts of it alone, oldest first
	Parts       parts.Joined    // and what they say together
}

// behind says what stands behind what is said of the module, by what counts now.
func (l Life) behind() (checked, notChecked string) {
	looked := slices.ContainsFunc(l.Inspections, func(x store.Inspection) bool {
		return !l.IsStruck(record.StrikeLook, x.ID)
	})
	return grade.Behind(looked, len(l.Surveys) > 0, l.Result.CapacityAh > 0, l.Result.ResistanceMOhm > 0)
}

// Behind is what was checked and what was not, in a sentence.
func (l Life) Behind() string {
	checked, not := l.behind()
	return checked + "; " + not
}

// Life collects a module's page, newest first.
func (s *Room) Life(ctx context.Context, number string) (l Life, err error) {
	db := s.Store.DB.WithContext(ctx)
	if l.Module, err = s.Module(ctx, number); err != nil {
		return l, err
	}
	id := l.Module.ID
	if l.Type, err = kernel.TypeByID(db, l.Module.TypeID); err != nil {
		return l, err
	}
	if l.Lot, err = s.Record.Lot(ctx, l.Module.LotID); err != nil {
		return l, err
	}
	if l.Module.BankID != nil {
		b, err := bank.BankByID(db, *l.Module.BankID)
		if err != nil {
			return l, err
		}
		l.Bank = &b
	}
	if l.Surveys, err = surveysOf(db, id); err != nil {
		return l, err
	}
	if l.Logs, err = logsOf(db, id); err != nil {
		return l, err
	}
	if err = l.tests(db); err != nil {
		return l, err
	}
	for _, q := range []struct {
		into  any
		order string
	}{{&l.Inspections, "seen_at DESC, id DESC"},
		{&l.Sets, "taken_at DESC, id DESC"}, {&l.Events, "at DESC, id DESC"}} {
		if err = db.Where("module_id = ?", id).Order(q.order).Limit(100).Find(q.into).Error; err != nil {
			return l, err
		}
	}
	var g store.Grading
	if err := db.Where("module_id = ?", id).Order("id DESC").Limit(1).Find(&g).Error; err != nil {
		return l, err
	}
	if g.ID > 0 && l.Module.Fitness != "" { // one that was taken back is no grade
		v, err := g.Grade.Get()
		if err != nil {
			return l, err
		}
		l.Grade = &v
	}
	if l.Struck, err = Struck(db, id); err != nil {
		return l, err
	}
	l.Sets = slices.DeleteFunc(l.Sets, func(x store.ProbeSet) bool { return l.IsStruck(record.StrikeProbes, x.ID) })
	l.Logs = slices.DeleteFunc(l.Logs, func(x LogView) bool { return l.IsStruck(record.StrikeTest, x.ID) })
	return l, err
}

// tests fills in what its tests came to.
func (l *Life) tests(db *gorm.DB) error {
	list, err := record.TestsOf(db, l.Module, l.Type)
	if err != nil {
		return err
	}
	for _, x := range slices.Backward(list) {
		if x.ByHand() && x.Has {
			l.Typed = append(l.Typed, x)
		}
	}
	if l.PartTests, l.Parts, err = record.PartsOf(list); err != nil {
		return err
	}
	l.Result, err = record.Newest(list)
	return err
}

// Struck lists what was struck out of a module: kind and row, with the reason.
func Struck(db *gorm.DB, moduleID int64) (map[string]store.Strike, error) {
	var rows []store.Strike
	err := db.Where("module_id = ?", moduleID).Order("id").Find(&rows).Error
	out := map[string]store.Strike{}
	for _, r := range rows {
		out[fmt.Sprintf("%s-%d", r.Kind, r.RowID)] = r
	}
	return out, err
}

// surveysOf are a module's surveys, newest first.
func surveysOf(db *gorm.DB, id int64) (out []SurveyView, err error) {
	var surveys []struct {
		store.Survey
		Result store.JSON[survey.Result]
	}
	if err = db.Raw("SELECT s.*, r.result FROM counting_surveys s JOIN survey_results r ON r.survey_id = s.id WHERE "+
		"s.module_id = ? ORDER BY s.taken_at DESC, s.id DESC LIMIT 50", id).Scan(&surveys).Error; err != nil {
		return nil, err
	}
	for _, x := range surveys {
		r, err := x.Result.Get()
		if err != nil {
			return nil, err
		}
		out = append(out, SurveyView{x.Survey, r})
	}
	return out, nil
}

// logsOf are a module's logs, newest first; struck too, since a reading that was read again is shown with the newer.
func logsOf(db *gorm.DB, id int64) (out []LogView, err error) {
	var rows []struct {
		store.Test
		Gave  store.JSON[json.RawMessage]
		Thin  store.JSON[logview.Thin]
		Size  int64
		Newer int64
	}
	// Struck too: Life takes them out of what it shows, and what was read again stays with a hint.
	if err = db.Raw(`SELECT t.*, r.gave, r.thin, b.size, (SELECT coalesce(max(y.id), 0) FROM tests y WHERE y.replaces
		= t.id AND NOT EXISTS (SELECT 1 FROM strikes z WHERE z.kind = 'test' AND z.row_id = y.id)) AS newer
		FROM tests t JOIN test_results r ON r.test_id = t.id JOIN blobs b ON b.sha256 = t.sha256
		WHERE t.module_id = ? ORDER BY t.id DESC LIMIT 10`, id).Scan(&rows).Error; err != nil {
		return nil, err
	}
	for _, x := range rows {
		v := LogView{Test: x.Test, Size: x.Size, Newer: x.Newer}
		if v.Result, err = store.Read[trace.Result](x.Gave); err != nil {
			return nil, err
		}
		if v.Thin, err = x.Thin.Get(); err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, nil
}

// BankEvents returns a bank's log, newest first.
func (s *Room) BankEvents(ctx context.Context, id int64) ([]store.Event, error) {
	var out []store.Event
	err := s.Store.DB.WithContext(ctx).Where("bank_id = ? AND module_id IS NULL",
		id).Order("at DESC, id DESC").Limit(50).Find(&out).Error
	return out, err
}

// Search finds modules and banks whose number or name begins with or holds the words typed.
func (s *Room) Search(ctx context.Context, text string) (mods []record.Row, banks []store.Bank, err error) {
	text = strings.TrimSpace(text)
	if text == "" {
		return nil, nil, nil
	}
	like := "%" + strings.NewReplacer(`\`, `\\`, "%", `\%`, "_", `\_`).Replace(text) + "%"
	db := s.Store.DB.WithContext(ctx)
	if err = db.Raw(record.RowSelect+`WHERE m.number LIKE ? ESCAPE '\' ORDER BY m.number = ? COLLATE NOCASE DESC,
		m.number LIMIT 30`, like, text).Scan(&mods).Error; err != nil {
		return nil, nil, err
	}
	err = db.Where(`name LIKE ? ESCAPE '\' OR client LIKE ? ESCAPE '\'`, like, like).Order("name").Limit(10).
		Find(&banks).Error
	return mods, banks, err
}

// StockRow is what a type has in stock, kilowatt hours by class at nominal volts; Untested is an interval.
type StockRow struct {
	Type         string
	Tested, Open int // modules
	A, B, C      known.Value
	OpenKWh      known.Value // of those that nobody tested
}

// classSum is how many modules of a class there are, and what they hold together.
type classSum struct {
	Class grade.Class
	N     int
	Ah    float64
}

// StockView is the stock at a glance, and what could be built from it now.
type StockView struct {
	Rows  []StockRow
	Could map[int][]window.Possible // by system
}

// Systems are those of which the first page says what could be built.
var Systems = []int{12, 24, 48}

// Stock is the stock at a glance: kilowatt hours by type and class, tested and not, and what could be built from it.
func (s *Room) Stock(ctx context.Context) (v StockView, err error) {
	sh, err := s.Bank.Shelf(ctx, nil)
	if err != nil {
		return v, err
	}
	for i, t := range sh.Types {
		row := StockRow{Type: t.Name}
		c, err := chem.Lookup(t.Chemistry)
		if err != nil {
			continue
		}
		volts := known.Of(float64(sh.Tested[i].Series)*c.NominalVolts, known.Limit)
		kwh := func(ah known.Value) known.Value { return ah.Mul(volts).Times(0.001) }
		var classes []classSum
		err = s.Store.DB.WithContext(ctx).Raw("SELECT class, count(*) AS n, sum(capacity_ah) AS ah FROM modules WHERE "+
			"type_id = ? AND class <> '' AND bank_id IS NULL AND quarantined = 0 AND hold = '' AND station = 'design' "+
			"GROUP BY class", t.ID).Scan(&classes).Error
		if err != nil {
			return v, err
		}
		for _, k := range classes {
			row.Tested += k.N
			if of := map[grade.Class]*known.Value{grade.A: &row.A, grade.B: &row.B,
				grade.C: &row.C}[k.Class]; of != nil {
				*of = kwh(known.Of(k.Ah, known.Measured))
			}
		}
		for _, all := range sh.All {
			if all.Type != t.Name {
				continue
			}
			for _, m := range all.Modules[len(sh.Tested[i].Modules):] {
				if row.Open++; row.Open == 1 {
					row.OpenKWh = kwh(m.Ah())
				} else {
					row.OpenKWh = row.OpenKWh.Add(kwh(m.Ah()))
				}
			}
		}
		if row.Tested+row.Open > 0 {
			v.Rows = append(v.Rows, row)
		}
	}
	v.Could = map[int][]window.Possible{}
	stocks := sh.Tested
	if len(sh.All) > 0 {
		stocks = sh.All
	}
	for _, class := range Systems {
		if v.Could[class], err = window.Could(class, stocks); err != nil {
			return v, err
		}
	}
	return v, nil
}
