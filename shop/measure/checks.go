package measure

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/module/check"
	"pandrel/core/module/isolation"
	"pandrel/core/module/layout"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/procedure/gates"
	"pandrel/instrument"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// CheckInput is the readings of a quick check, in the order of the plan.
type CheckInput struct {
	Number string
	Volts  []record.TypedVolts
	Token  string
}

// CheckPlan returns the readings that show whether a module is like its type; nil where the type has no layout.
func (s *Room) CheckPlan(ctx context.Context, t store.ModuleType) ([]check.Pair, error) {
	m, ok, err := s.Record.LayoutOf(ctx, t)
	if err != nil || !ok {
		return nil, err
	}
	return check.Plan(m), nil
}

// RecordCheck keeps a quick check and judges it.
func (s *Room) RecordCheck(ctx context.Context, in CheckInput) (fs []finding.Finding, err error) {
	err = s.Action(ctx, in.Token, "check", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		t, err := kernel.TypeByID(tx, m.TypeID)
		if err != nil {
			return err
		}
		if err := s.Record.May(tx, m, t, passage.Measure); err != nil {
			return err
		}
		lay, ok, err := record.LayoutOf(tx, t)
		if err != nil {
			return err
		}
		if !ok {
			return kernel.Bad("", "%s has no layout yet: map one module of this type first", t.Name)
		}
		plan := check.Plan(lay)
		var volts []float64
		var rs []layout.Reading
		for i, v := range in.Volts {
			volts = append(volts, v.Volts)
			if i < len(plan) {
				rs = append(rs, layout.Reading{Red: plan[i].Red, Black: plan[i].Black, Volts: v.Volts, Line: i + 1})
			}
		}
		if fs, err = check.JudgePairs(plan, volts, t.Chemistry); err != nil {
			return kernel.Bad("", "%v", err)
		}
		row := store.ModuleCheck{ModuleID: m.ID, LayoutID: *t.LayoutID, TakenBy: kernel.Who(ctx),
			TakenAt: s.Now(), Readings: store.JSONOf(rs), Findings: store.JSONOf(fs), Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		what := "like its type"
		if len(fs) > 0 {
			what = fs[0].Text
		}
		return s.Log(tx, "check", kernel.About{Module: m.ID}, "Checked against its type: %s", what)
	})
	return fs, err
}

// IsolationInput is a module's readings against its case.
type IsolationInput struct {
	Number   string
	Readings isolation.Readings
	Token    string
}

// RecordIsolation keeps the readings against the case and their verdict. A failed isolation rejects
// the module when it is graded, until a later measurement is good.
func (s *Room) RecordIsolation(ctx context.Context, in IsolationInput) (iso isolation.Result, fs []finding.Finding,
	err error) {
	err = s.Action(ctx, in.Token, "isolation", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		// The voltage between the ends must be the one that its groups have: else nothing was measured.
		last, err := record.LastVolts(tx, m.ID)
		if err != nil {
			return err
		}
		sum := 0.0
		for _, v := range last {
			sum += v
		}
		if !in.Readings.FitsVolts(sum) {
			if f := gates.Expected(gates.Step{Title: "isolation", ExpectVolts: sum, Rule: "rules §2.7"},
				in.Readings.PackVolts); f != nil {
				return kernel.Bad("pack_v", "%s %s", f.Text, f.Do)
			}
		}
		if iso, fs, err = isolation.JudgeReadings(in.Readings); err != nil {
			return kernel.Bad("", "%v", err)
		}
		row := store.IsolationCheck{ModuleID: m.ID, TakenBy: kernel.Who(ctx), TakenAt: s.Now(),
			Readings: store.JSONOf(in.Readings), Verdict: iso.Verdict, Findings: store.JSONOf(fs), Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return s.Log(tx, "isolation", kernel.About{Module: m.ID}, "Isolation: %s", fs[0].Text)
	})
	return iso, fs, err
}

// Checked is a kept quick check or isolation measurement with its findings.
type Checked struct {
	store.ModuleCheck
	Found []finding.Finding
}

// Isolated is a kept isolation measurement.
type Isolated struct {
	store.IsolationCheck
	Found []finding.Finding
}

// LastChecks returns the newest quick check and isolation of a module, nil where there is none.
func (s *Room) LastChecks(ctx context.Context, moduleID int64) (*Checked, *Isolated, error) {
	db := s.Store.DB.WithContext(ctx)
	var c []store.ModuleCheck
	var i []store.IsolationCheck
	if err := record.Counting(db, "module_checks").Where("module_id = ?",
		moduleID).Order("id DESC").Limit(1).Find(&c).Error; err != nil {
		return nil, nil, err
	}
	if err := record.Counting(db, "isolation_checks").Where("module_id = ?", moduleID).
		Order("id DESC").Limit(1).Find(&i).Error; err != nil {
		return nil, nil, err
	}
	var checked *Checked
	var isolated *Isolated
	if len(c) > 0 {
		fs, err := c[0].Findings.Get()
		if err != nil {
			return nil, nil, err
		}
		checked = &Checked{c[0], fs}
	}
	if len(i) > 0 {
		fs, err := i[0].Findings.Get()
		if err != nil {
			return nil, nil, err
		}
		isolated = &Isolated{i[0], fs}
	}
	return checked, isolated, nil
}

// GuideMap says which two points to read next for a module of a type; done is true once nothing more is asked for. m is
// the map of the readings, nil where there is none yet; skip lists points that cannot be reached.
func GuideMap(t store.ModuleType, readings []layout.Reading, skip []string, m *layout.Map) (next layout.Next,
	done bool) {
	return layout.GuideFrom(record.AllPoints(t), readings, skip, record.MapOptions(t), m)
}

// ReadMonitor takes the voltages of the module that is plugged into the cell monitor, for a survey
// of the given module. It refuses what cannot be that module: another number of groups, open
// inputs. said is what is said of other instruments on the module; see passage.Instruments.
func (s *Room) ReadMonitor(ctx context.Context, number, said string) ([]record.TypedVolts, float64, error) {
	if s.MonitorAddress == "" {
		return nil, 0, kernel.Bad("", "no cell monitor is set up: start Pandrel with --monitor host:port")
	}
	m, err := s.Module(ctx, number)
	if err != nil {
		return nil, 0, err
	}
	t, err := s.Type(ctx, m.TypeID)
	if err != nil {
		return nil, 0, err
	}
	lay, _, err := s.Record.LayoutFor(ctx, m, t)
	if err != nil {
		return nil, 0, err
	}
	if f, ok := passage.Instruments(m.Number, said); !ok {
		return nil, 0, kernel.Stopped([]finding.Finding{f})
	}
	got, err := instrument.ReadMonitor(s.MonitorAddress)
	if err != nil {
		return nil, 0, kernel.Bad("", "%v", err)
	}
	if len(got.Volts) != lay.Series {
		return nil, 0, kernel.Bad("", "the monitor sees %s, %s has %d: is the right module plugged in, with "+
			"the right lead?", numeral.Count(len(got.Volts), "group"), t.Name, lay.Series)
	}
	if len(got.Open) > 0 {
		return nil, 0, kernel.Bad("", "input %d of the monitor is open: look at the lead", got.Open[0])
	}
	// A row of a lot's grid is read and not kept yet.
	twin := s.plugs.twin(m.Number, got.Plug, got.Volts, s.Now().Add(-justNow))
	if twin == "" {
		kept, err := s.readJustNow(ctx, m.ID, got.Volts)
		if err != nil {
			return nil, 0, err
		}
		// Two good modules may agree to the last digit: only with the lead still in is it the same one.
		if kept != "" && s.plugs.heldBy(kept, got.Plug) {
			twin = kept
		}
	}
	if twin != "" {
		return nil, 0,
			kernel.Bad("", "this is what %s read a moment ago, group for group: is the plug in %s already?", twin,
				m.Number)
	}
	s.plugs.note(m.Number, plugged{got.Plug, got.Volts, s.Now()})
	out := make([]record.TypedVolts, len(got.Volts))
	for i, v := range got.Volts {
		out[i] = record.TypedVolts{Group: i + 1, Volts: v, AsTyped: fmt.Sprintf("%.3f", v)}
	}
	return out, got.TempC, nil
}

// plugs remembers what each module read, and at which count of the monitor's plug counter.
type plugs struct {
	mu sync.Mutex
	at map[string]plugged
}

type plugged struct {
	count int
	volts []float64
	when  time.Time
}

func (p *plugs) note(number string, now plugged) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.at == nil {
		p.at = map[string]plugged{}
	}
	p.at[number] = now
}

// heldBy reports whether a module was read with the lead plugged in as it is now.
func (p *plugs) heldBy(number string, count int) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	at, ok := p.at[number]
	return ok && at.count == count
}

// twin returns the first other module by number that read the same since then, group for group, with the lead plugged
// in as it is now; "" for none.
func (p *plugs) twin(number string, count int, volts []float64, since time.Time) (twin string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for other, at := range p.at {
		same := at.count == count && at.when.After(since) && slices.EqualFunc(at.volts, volts, alike)
		if same && other != number && (twin == "" || other < twin) {
			twin = other
		}
	}
	return twin
}

// alike is whether two voltages differ by no more than the digits of two readings may.
func alike(a, b float64) bool { return math.Abs(a-b) <= 2*survey.DefaultPolicy.ResolutionVolts }

// justNow is how long a reading of another module can be the one whose lead was not moved on.
const justNow = time.Hour

// MonitorInstrument is how a survey read from the monitor is marked.
const MonitorInstrument = "cell monitor"

// readJustNow returns the number of another module whose survey from the monitor, taken just now,
// agrees with volts in every group, "" for none.
func (s *Room) readJustNow(ctx context.Context, moduleID int64, volts []float64) (string, error) {
	var rows []struct {
		Number  string
		ID      int64
		GroupNo int
		Volts   float64
	}
	err := s.Store.DB.WithContext(ctx).Raw(`SELECT m.number, v.id, r.group_no, r.volts FROM counting_surveys v
		JOIN modules
		m ON m.id = v.module_id JOIN survey_readings r ON r.survey_id = v.id
		WHERE v.instrument = ? AND v.module_id <> ? AND v.taken_at > ? ORDER BY v.id DESC, r.group_no LIMIT
		2000`, MonitorInstrument, moduleID, s.Now().Add(-justNow)).Scan(&rows).Error
	if err != nil {
		return "", err
	}
	same := map[int64]int{}
	for _, r := range rows {
		if r.GroupNo <= len(volts) && alike(r.Volts, volts[r.GroupNo-1]) {
			if same[r.ID]++; same[r.ID] == len(volts) {
				return r.Number, nil
			}
		}
	}
	return "", nil
}

// atOnce is how many modules of a lot one check takes.
const atOnce = 60

// ToCheck lists the modules of a lot that may be measured, whose type has a layout, and that were neither mapped nor
// checked against it themselves; more is how many wait beside those.
func (s *Room) ToCheck(ctx context.Context, lotID int64) (out []store.Module, more int, err error) {
	db := s.Store.DB.WithContext(ctx)
	const wait = "modules m JOIN module_types t ON t.id = m.type_id WHERE m.lot_id = ? AND m.quarantined = 0 AND " +
		"m.station IN ('map', 'survey', 'test', 'grade') AND t.layout_id IS NOT NULL AND m.layout_id IS NULL AND NOT " +
		"EXISTS (SELECT 1 FROM counting_module_checks c WHERE c.module_id = m.id) AND NOT EXISTS (SELECT 1 FROM " +
		"counting_probe_sets p WHERE p.module_id = m.id)"
	if err := db.Raw("SELECT m.* FROM "+wait+" ORDER BY t.id, m.number LIMIT ?", lotID, atOnce).
		Scan(&out).Error; err != nil {
		return nil, 0, err
	}
	err = db.Raw("SELECT count(*) FROM "+wait, lotID).Scan(&more).Error
	return out, more - len(out), err
}

// CheckedModule is a module with the newest check of it.
type CheckedModule struct {
	Number string
	Checked
}

// CheckedIn lists the modules of a lot that were checked, the newest first.
func (s *Room) CheckedIn(ctx context.Context, lotID int64) (out []CheckedModule, err error) {
	db := s.Store.DB.WithContext(ctx)
	var rows []struct {
		store.ModuleCheck
		Number string
	}
	err = record.Counting(db, "module_checks").Select("counting_module_checks.*, m.number").
		Joins("JOIN modules m ON m.id = module_id").Where("m.lot_id = ?", lotID).
		Order("counting_module_checks.id DESC").Limit(2 * atOnce).Scan(&rows).Error
	if err != nil {
		return nil, err
	}
	seen := map[int64]bool{}
	for _, r := range rows {
		if seen[r.ModuleID] {
			continue
		}
		seen[r.ModuleID] = true
		fs, err := r.Findings.Get()
		if err != nil {
			return nil, err
		}
		out = append(out, CheckedModule{r.Number, Checked{r.ModuleCheck, fs}})
	}
	return out, nil
}
