package procedure

import (
	"context"
	"reflect"
	"slices"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/whole"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/steps"
	"pandrel/store"
)

// StandingInput is an standing bank that is to be opened for a survey.
type StandingInput struct {
	Name  string
	Owner string
	Bank  standing.Bank
	Cells standing.Cells
	Note  string
	Token string

	Survey *StandingReadings // its group voltages, nil where they were not read yet
}

// read is what stood end to end as it was read, 0 where nobody read it; what cannot be is said to its field. As many
// groups as were read are in series where nobody counted them.
func (in *StandingInput) read(c kernel.Checks) (now float64) {
	need := func(field, text string) { c.Need(field == "", field, "%s", text) }
	switch x := in.Survey; {
	case x == nil:
		return 0
	case len(x.Volts) == 0 && in.Cells.Series == 0 && len(in.Cells.May) > 0 && x.Part.TotalV > 0 &&
		len(x.Part.Groups) == 0 && x.Part.Count == 0: // nobody counted them: what was read says which counts fit
		in.Cells.ReadV, in.Cells.ReadDigit, in.Survey = x.Part.TotalV, x.Part.TotalDigit, nil
		return in.Cells.ReadV
	case len(x.Volts) == 0:
		need(x.Part.Missing(in.Cells.Series))
		return x.Part.TotalV
	}
	if in.Cells.Series == 0 {
		in.Cells.Series = len(in.Survey.Volts)
	}
	c.Need(in.Cells.Series == len(in.Survey.Volts), "grid", "%s for %s: expected one for each",
		numeral.Count(len(in.Survey.Volts), "voltage"), numeral.Count(in.Cells.Series, "group"))
	for _, v := range in.Survey.Volts {
		now += v
	}
	need(in.Survey.Part.Beside(in.Survey.Volts))
	return now
}

// SaveStanding writes a standing bank down, and judges its group voltages where they were read. It does not change
// later: its records are about it as it was.
func (s *Room) SaveStanding(ctx context.Context, in StandingInput) (row store.Bank, err error) {
	in.Name = strings.TrimSpace(in.Name)
	c := kernel.Checks{}
	now := in.read(c)
	if field, text := in.Cells.Check(); field != "" {
		c.Need(false, field, "%s", text)
	}
	in.Cells = in.Cells.Rated()
	if (in.Cells.Known() || len(in.Cells.May) > 0) && in.Bank.NominalVolts == 0 && in.Bank.FullVolts == 0 {
		in.Bank.NominalVolts, in.Bank.FullVolts = in.Cells.Volts(now)
	}
	if len(c) > 0 {
		return row, c.Err()
	}
	c.Need(in.Name != "", "name", "expected a name for the bank")
	in.Bank.Groups = in.Cells.Series
	if field, text := in.Bank.Check(); field != "" {
		c.Need(false, field, "%s", text)
	}
	if err := c.Err(); err != nil {
		return row, err
	}
	if _, err := in.Cells.Owned(in.Bank.Strings); err != nil {
		return row, kernel.Bad("owners", "%v", err)
	}
	err = s.Action(ctx, in.Token, "service", func(tx *gorm.DB) error {
		if err := kernel.NameFree[store.Bank](tx, "bank", in.Name, 0); err != nil {
			return err
		}
		row = store.Bank{Origin: store.Stands, Name: in.Name, Client: strings.TrimSpace(in.Owner),
			Opened: store.JSONOf(in.Bank), Note: strings.TrimSpace(in.Note), Version: 1, StationSince: s.Now(),
			CreatedAt: s.Now()}
		if !reflect.DeepEqual(in.Cells, standing.Cells{}) {
			row.Cells = store.JSONOf(in.Cells)
		}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		if err := s.Log(tx, "service", kernel.About{Bank: row.ID}, "Standing bank %s written down",
			row.Name); err != nil || in.Survey == nil {
			return err
		}
		in.Survey.Token = in.Token
		return s.keepStandingSurvey(tx, row, in.Cells, *in.Survey)
	})
	return row, err
}

// OfOrigin lists the banks of an origin, newest first.
func (s *Room) OfOrigin(ctx context.Context, o store.Origin) (out []store.Bank, err error) {
	err = s.Store.DB.WithContext(ctx).Where("origin = ?", o).Order("id DESC").Find(&out).Error
	return out, err
}

// ByID is a bank of any origin.
func (s *Room) ByID(ctx context.Context, id int64) (store.Bank, error) {
	return kernel.ByID[store.Bank](s.Store.DB.WithContext(ctx), id, "bank")
}

// Printed is the bank that an address of an older workshop stands for: services and 2.
func (s *Room) Printed(ctx context.Context, as string, no int64) (store.Bank, error) {
	db := s.Store.DB.WithContext(ctx)
	of := map[string]store.Origin{"services": store.Stands, "packs": store.Whole}[as]
	return kernel.Printed[store.Bank](db, db.Where("origin = ?", of), as, no)
}

// StandingView is a bank as one thing that stands: its steps out of work and back, surveys, tests and all records.
type StandingView struct {
	Standing store.Bank
	Bank     standing.Bank
	Down, Up []gates.State
	Records  []steps.Record
	Round    int            // how often it was taken out of work before
	Earlier  []steps.Record // of those times, oldest first
	Struck   []store.Strike // what was taken back of them
	Before   float64        // the bank's voltage when it was taken out of work, 0 where not read yet
	Cells    standing.Cells
	Hangs    []finding.Finding // of what hangs on it
	Surveys  []SurveyOfBank    // of every group, newest first
	Parts    []SurveyOfBank    // in which not every group was read, newest first
	Tests    []TestOfBank      // newest first
	Joined   []Joined          // banks that stand beside it as further strings
	Holds    []finding.Finding // what keeps it out of work, worst first

	work *steps.Work
	all  []SurveyOfBank // of every group or not, newest first
}

// Steps lists all steps in order, out of work and back.
func (v StandingView) Steps() []gates.State {
	return append(append([]gates.State{}, v.Down...), v.Up...)
}

// Unread reports whether a bank that is out of work was not surveyed since: it goes back as what it is now.
func (v StandingView) Unread() bool {
	last, read := v.Newest()
	if len(v.Up) == 0 || slices.ContainsFunc(v.Down, func(st gates.State) bool { return st.Gate && !st.Done }) {
		return false
	}
	return !read || slices.ContainsFunc(v.Records, func(r steps.Record) bool {
		return !last.TakenAt.After(r.DoneAt) &&
			slices.ContainsFunc(v.Down, func(st gates.State) bool { return st.Key == r.Step })
	})
}

// StandingByID returns a standing bank with the state of every step.
func (s *Room) StandingByID(ctx context.Context, id int64) (StandingView, error) {
	return LoadStanding(s.Store.DB.WithContext(ctx), id)
}

// stoppedSince is what stopped the tests of the whole bank since it was last read at rest: only that settles it, and no
// earlier reading that was judged anew.
func (v StandingView) stoppedSince() (out []finding.Finding) {
	var rested time.Time
	for _, x := range v.Surveys {
		if x.RestMinutes >= chem.FullRestMinutes && !strings.HasSuffix(x.Instrument, judgedAnew) {
			rested = x.TakenAt
			break
		}
	}
	for _, t := range v.Tests {
		if rested.After(t.At) {
			break
		}
		for _, x := range whole.Stops(t.Whole, v.expected()) {
			out = append(out, x.Finding)
		}
	}
	return out
}

// read fills in what was read of it and what it gave.
func (v *StandingView) read(db *gorm.DB, id int64) error {
	all, err := surveysOf(db, id)
	if err != nil {
		return err
	}
	v.all = all
	v.Surveys, v.Parts = wholeAndPart(all)
	v.Tests, err = testsOf(db, id)
	return err
}

// wholeAndPart parts surveys into those of every group and those that left some out.
func wholeAndPart(all []SurveyOfBank) (every, part []SurveyOfBank) {
	for _, x := range all {
		if len(x.Volts) > 0 {
			every = append(every, x)
		} else {
			part = append(part, x)
		}
	}
	return every, part
}

// Newest is what was read of it last, every group or not.
func (v StandingView) Newest() (last SurveyOfBank, read bool) {
	if len(v.all) == 0 {
		return last, false
	}
	return v.all[0], true
}

// sittings are what was read of a bank as what it is held by asks for them, newest first.
func sittings(list []SurveyOfBank) (out []standing.Sitting) {
	for _, x := range list {
		one := standing.Sitting{Survey: x.Judged.Survey, Findings: x.Judged.Survey.Findings, Every: len(x.Volts) > 0}
		if !one.Every {
			one.Findings = x.Judged.Stops()
		}
		out = append(out, one)
	}
	return out
}

// expected is what the bank is, as its tests are judged.
func (v StandingView) expected() whole.Expected {
	return whole.Expected{Bank: whole.Bank{Name: v.Standing.Name, Series: v.Cells.Series,
		Chemistry: v.Cells.Chemistry}, Parallel: 1, RatedAh: v.Cells.Ah}
}

// earlier are the steps of the times before that a bank was taken out of work.
func earlier(db *gorm.DB, id int64, round int) (out []steps.Record, err error) {
	var rows []store.StepRecord
	if err := record.Counting(db, "step_records").Where("kind = ? AND subject_id = ? AND version < ?", Standing, id,
		round).Order("id").Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, r := range rows {
		fs, err := r.Findings.Get()
		if err != nil {
			return nil, err
		}
		out = append(out, steps.Record{StepRecord: r, Found: fs})
	}
	return out, nil
}

// inside is how a bank is opened, and what is known of its inside: of one that was built here, what its design says.
func inside(b store.Bank) (o standing.Bank, c standing.Cells, err error) {
	if b.Origin == store.Stands {
		if o, err = b.Opened.Get(); err == nil {
			c, err = b.Cells.Get()
			c.Chosen = b.BMS
		}
		return o, c, err
	}
	if b.Origin == store.Whole || !b.Design.Set() {
		return o, c, kernel.Bad("", "%s is no bank that stands yet", b.Name)
	}
	d, err := b.Design.Get()
	if err != nil {
		return o, c, err
	}
	k := d.Candidate
	c = standing.Cells{Series: k.Series, Chemistry: k.Chemistry, Ah: k.CapacityAh, BMS: b.BMS}
	device, err := b.Device.Get()
	if err != nil {
		return o, c, err
	}
	if !b.Device.Set() {
		device, _ = bms.Named(bms.Catalogue(), b.BMS)
	}
	switch device.Switch {
	case bms.Transistor, bms.Relay, bms.Opens:
		c.Opens = standing.OpensYes
	case bms.Monitor:
		c.Opens = standing.OpensNo
	}
	n, err := b.Need.Get()
	if err != nil {
		return o, c, err
	}
	o = standing.Bank{Strings: max(1, d.Strings()), Plug: b.BMS != "", WetPlace: n.WetPlace}
	o.NominalVolts, o.FullVolts = c.Volts(0)
	if k.FullVolts > 0 { // as its gates into service take it
		o.FullVolts = k.FullVolts
	}
	c.Designed = true
	return o, c, nil
}

// Back reports whether it was taken out of work and is back: every gate of both ways is recorded.
func (v StandingView) Back() bool {
	return !slices.ContainsFunc(v.Steps(), func(st gates.State) bool { return st.Gate && !st.Done })
}

// done reports whether a step out of work is recorded.
func (v StandingView) done(step string) bool {
	return slices.ContainsFunc(v.Down, func(st gates.State) bool { return st.Key == step && st.Done })
}

// StandingAgain is a bank that is back in work as it is before it is taken out once more.
func (s *Room) StandingAgain(ctx context.Context, id int64) (StandingView, error) {
	db := s.Store.DB.WithContext(ctx)
	v, err := LoadStanding(db, id)
	if err != nil || !v.Back() {
		return v, err
	}
	return loadRound(db, id, v.Round+1)
}

// LoadStanding reads a bank with the state of every step, of the last time that it was taken out of work.
func LoadStanding(db *gorm.DB, id int64) (v StandingView, err error) {
	var round int
	if err := record.Counting(db, "step_records").Where("kind = ? AND subject_id = ?", Standing, id).
		Select("coalesce(max(version), 0)").Scan(&round).Error; err != nil {
		return v, err
	}
	return loadRound(db, id, round)
}

func loadRound(db *gorm.DB, id int64, round int) (v StandingView, err error) {
	v.Round = round
	if v.Standing, err = kernel.ByID[store.Bank](db, id, "bank"); err != nil {
		return v, err
	}
	if v.Bank, v.Cells, err = inside(v.Standing); err != nil {
		return v, err
	}
	if v.Joined, err = joinedTo(db, id); err != nil {
		return v, err
	}
	v.Bank.FloorVolts = v.Cells.FloorVolts()
	v.Bank.Groups = v.Cells.Series
	v.work = &steps.Work{Kind: Standing, ID: id, Version: round, Name: v.Standing.Name + ", ", Event: "service",
		About: kernel.About{Bank: id}}
	var down []gates.Step
	err = v.work.Recall(db, func(records []steps.Record) []gates.Step {
		v.beside(records)
		for _, r := range records {
			if r.Step == standing.VoltsKey && r.OK {
				v.Before = r.Value
			}
		}
		down = standing.Down(v.Bank, v.Before)
		return append(slices.Clone(down), standing.Up(v.Bank, v.Before)...)
	})
	if err != nil {
		return v, err
	}
	if err := v.read(db, id); err != nil {
		return v, err
	}
	now := v.Cells.ReadV
	if last, read := v.Newest(); read {
		now = last.Judged.TotalV
	}
	v.Hangs = v.Cells.Hangs(now, v.Bank.FullVolts)
	v.Holds = finding.Sorted(append(standing.Holds(v.Cells, sittings(v.all), v.stoppedSince()),
		finding.Standing(v.Hangs)...))
	v.work.May = func(_ *gorm.DB, step string) error {
		if fs := finding.Standing(v.Holds); len(fs) > 0 && slices.ContainsFunc(v.Up, func(st gates.State) bool {
			return st.Key == step
		}) {
			return kernel.Stopped(fs)
		}
		return nil
	}
	v.Records, v.Struck = v.work.Records, v.work.Struck
	if v.Earlier, err = earlier(db, id, round); err != nil {
		return v, err
	}
	steps.Titled(v.Earlier, v.work.States)
	v.Down, v.Up = v.work.States[:len(down)], v.work.States[len(down):]
	return v, nil
}
