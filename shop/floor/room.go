// Package floor is banks as they are drawn: each change a row of its own, undo and redo along them, what a joint would
// do, and by which drawing a bank is built.
package floor

import (
	"context"
	"errors"
	"slices"
	"strings"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"pandrel/core/bank/change"
	core "pandrel/core/bank/floor"
	"pandrel/core/bank/plan"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/procedure/standing"
	"pandrel/exchange"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/record"
	"pandrel/store"
)

// Room is these actions, with the rooms they ask.
type Room struct {
	*kernel.Kernel
	Record *record.Room
	Bank   *bank.Room

	kept kept
}

// Drawn is a bank as it is drawn now.
type Drawn struct {
	Bank   store.Bank
	Need   plan.Need
	Design *plan.Design
	Units  core.Units
	State  core.State
	At     int64 // the row that is shown, 0 while nobody changed what the design draws
	Row    store.Drawing
	Undo   string // what undo takes back, "" for nothing
	Redo   string // what redo does again, "" for nothing
	Built  bool   // it is built by what is shown
	Else   bool   // it is built by another drawing
	Apart  []core.Difference
	Sizes  []store.ModuleType // types of its modules whose size nobody measured
	Stands bool               // somebody else built it: it is drawn as it stands
	Why    string             // why it cannot be drawn yet, "" where it can
	Lost   []string           // modules on the drawing that are no longer on record: they are left out of it
	use    core.Use
	wiring plan.Wiring // of its design alone
	of     state       // what that was worked out of
	as     procedure.StandingView
}

// Load returns the drawing of a bank: the one that somebody made last, else what its design draws, else nothing.
func (s *Room) Load(ctx context.Context, bankID int64) (v Drawn, err error) {
	if err := s.base(ctx, bankID, &v); err != nil {
		return v, err
	}
	d, planned, err := s.shown(ctx, &v)
	if err != nil {
		return v, err
	}
	v.State, err = core.JudgeFor(d, v.Units, v.use)
	if err != nil {
		return v, told(err)
	}
	if planned != nil && v.At != 0 {
		v.Apart = core.Compare(*planned, d)
	}
	return v, s.steps(ctx, &v)
}

// base reads the bank and its design.
func (s *Room) base(ctx context.Context, bankID int64, v *Drawn) (err error) {
	db := s.Store.DB.WithContext(ctx)
	if v.Bank, err = kernel.ByID[store.Bank](db, bankID, "bank"); err != nil {
		return err
	}
	if v.Stands = v.Bank.Origin == store.Stands; v.Stands {
		v.as, err = procedure.LoadStanding(db, bankID)
		return err
	}
	return s.design(ctx, v)
}

// stands returns the drawing of a bank that somebody else built: the one that was made of it, else what is known of it.
func (s *Room) stands(ctx context.Context, v *Drawn) (d core.Drawing, planned *core.Drawing, err error) {
	total, volts := v.as.Cells.ReadV, []float64(nil)
	if last, read := v.as.Newest(); read {
		total, volts = last.Judged.TotalV, last.Volts
	}
	own, units, why := standing.Drawn(v.as.Bank, v.as.Cells, total, volts)
	v.Units, v.Why = units, why
	if why != "" {
		v.Units = core.Units{}
	} else {
		planned, d = &own, own
	}
	if v.Bank.DrawingID == nil {
		return d, planned, nil
	}
	if v.Row, err = bank.DrawingByID(s.Store.DB.WithContext(ctx), v.Bank.ID, *v.Bank.DrawingID); err != nil {
		return d, nil, err
	}
	if d, err = v.Row.Body.Get(); err != nil {
		return d, nil, err
	}
	v.At = v.Row.ID
	var numbers []string
	for _, p := range d.Pieces {
		if p.Kind == core.Module {
			numbers = append(numbers, p.ID)
		}
	}
	d, err = v.lose(d, numbers)
	return d, planned, err
}

// Unsized are the parts of a bank that stands whose size nobody measured.
func (v Drawn) Unsized() []string { return v.State.Drawing.Assumed(v.Units) }

// lose takes the modules off a drawing that are no longer on record, and says which.
func (v *Drawn) lose(d core.Drawing, numbers []string) (core.Drawing, error) {
	var err error
	for _, number := range numbers {
		if _, ok := v.Units[number]; ok || d.Piece(number) == nil {
			continue
		}
		v.Lost = append(v.Lost, number)
		if d, _, err = change.Make(d, v.Units, change.Op{Do: change.Take, ID: number}); err != nil {
			return d, err
		}
	}
	return d, nil
}

// shown returns the drawing that is shown, with the units of all its modules, and what the design draws by itself.
func (s *Room) shown(ctx context.Context, v *Drawn) (d core.Drawing, planned *core.Drawing, err error) {
	if v.Stands {
		return s.stands(ctx, v)
	}
	db := s.Store.DB.WithContext(ctx)
	var numbers []string
	if v.Bank.DrawingID != nil {
		if v.Row, err = bank.DrawingByID(db, v.Bank.ID, *v.Bank.DrawingID); err != nil {
			return d, nil, err
		}
		if d, err = v.Row.Body.Get(); err != nil {
			return d, nil, err
		}
		v.At = v.Row.ID
		for _, p := range d.Pieces {
			if p.Kind == core.Module {
				numbers = append(numbers, p.ID)
			}
		}
	}
	if v.Design != nil {
		for _, number := range v.Design.All() {
			if !slices.Contains(numbers, number) {
				numbers = append(numbers, number)
			}
		}
		v.use = core.Use{DesignA: v.wiring.Netlist.DesignA, JoinVolts: v.wiring.Netlist.JoinVolts}
	}
	if v.Units, err = s.units(ctx, v, numbers); err != nil {
		return d, nil, err
	}
	if v.Design != nil {
		own := v.wiring.Drawing(*v.Design, v.Units)
		planned = &own
		if v.At == 0 {
			d = own
		}
	}
	if d, err = v.lose(d, numbers); err != nil {
		return d, nil, err
	}
	return d, planned, s.sizes(db, v, numbers)
}

// sizes lists the types of the drawn modules whose size nobody measured.
func (s *Room) sizes(db *gorm.DB, v *Drawn, numbers []string) error {
	if len(numbers) == 0 {
		return nil
	}
	return db.Where("(width_mm = 0 OR depth_mm = 0) AND id IN (SELECT type_id FROM modules WHERE number IN ?)",
		numbers).Order("name").Find(&v.Sizes).Error
}

// steps says what undo and redo would do, and whether the bank is built by what is shown.
func (s *Room) steps(ctx context.Context, v *Drawn) error {
	db := s.Store.DB.WithContext(ctx)
	v.Built = v.Bank.BuiltByID != nil && v.Bank.DrawingID != nil && *v.Bank.BuiltByID == *v.Bank.DrawingID
	v.Else = v.Bank.BuiltByID != nil && !v.Built
	if v.At == 0 {
		return nil
	}
	if v.Row.AfterID != nil {
		v.Undo = v.Row.Said
	}
	next, ok, err := kernel.Find[store.Drawing](db.Where("after_id = ?", v.At).Order("id DESC"))
	if ok {
		v.Redo = next.Said
	}
	return err
}

// told turns what cannot be done to a drawing into what a form shows.
func told(err error) error {
	var b *core.Bad
	if errors.As(err, &b) {
		return kernel.Bad(b.Field, "%s", b.Text)
	}
	return err
}

// ChangeInput is one change of a drawing. At is the row that was shown when it was meant; Picture is the photograph
// that it is made with, as it was sent.
type ChangeInput struct {
	BankID  int64
	At      int64
	Op      change.Op
	Picture []byte
	Token   string
}

// Change does one thing to the drawing of a bank and keeps it as a row of its own.
func (s *Room) Change(ctx context.Context, in ChangeInput) error {
	var v Drawn
	if err := s.base(ctx, in.BankID, &v); err != nil {
		return err
	}
	d, _, err := s.shown(ctx, &v)
	if err != nil {
		return err
	}
	if in.Op.Do == change.Add && core.Kind(in.Op.Kind) == core.Module {
		if err := s.may(ctx, &v, &in.Op); err != nil {
			return err
		}
	}
	if len(in.Picture) > 0 {
		return s.pictured(ctx, in, d, v.Units)
	}
	next, said, err := change.Make(d, v.Units, in.Op)
	if err != nil {
		return told(err)
	}
	return s.replace(ctx, in, d, next, said)
}

// pictured is a change that is made with a photograph: both are kept, or neither.
func (s *Room) pictured(ctx context.Context, in ChangeInput, d core.Drawing, units core.Units) error {
	ready, err := exchange.ReadPicture(ctx, in.Picture) // scaling takes long: before the transaction
	if err != nil {
		return kernel.Bad("picture", "%v", err)
	}
	return s.Action(ctx, in.Token, "drawing", func(tx *gorm.DB) error {
		p, err := s.Record.KeepPicture(tx, record.PictureInput{Kind: record.PicturePlan, BankID: in.BankID,
			Caption: in.Op.Note, Data: in.Picture, Token: in.Token}, ready)
		if err != nil {
			return err
		}
		in.Op.Picture, in.Op.Tall = p.ID, float64(p.Height)/float64(p.Width)
		next, said, err := change.Make(d, units, in.Op)
		if err != nil {
			return told(err)
		}
		return s.keepNext(tx, in, d, next, said)
	})
}

// replace keeps a drawing as the row after the one that was shown.
func (s *Room) replace(ctx context.Context, in ChangeInput, was, next core.Drawing, said string) error {
	return s.Action(ctx, in.Token, "drawing", func(tx *gorm.DB) error {
		return s.keepNext(tx, in, was, next, said)
	})
}

func (s *Room) keepNext(tx *gorm.DB, in ChangeInput, was, next core.Drawing, said string) error {
	b, err := s.shows(tx, in.BankID, in.At)
	if err == nil && !in.Op.OfPictures() { // a picture of a bank in service changes nothing of how it stands
		err = changeable(b)
	}
	if err != nil {
		return err
	}
	after := b.DrawingID
	if after == nil { // what it was before the first change is kept too, so that it can be gone back to
		if after, err = s.keep(tx, b, nil, was, "as it draws itself", ""); err != nil {
			return err
		}
	}
	id, err := s.keep(tx, b, after, next, said, in.Token)
	if err != nil {
		return err
	}
	set := map[string]any{"drawing_id": id}
	if in.Op.OfPictures() && b.BuiltByID != nil && *b.BuiltByID == *after {
		set["built_by_id"] = id
	}
	return tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(set).Error
}

// FromFile puts a drawing of a file in the place of the one that is shown. Its modules must be on record here: what
// they are comes from the record, and not from the file.
func (s *Room) FromFile(ctx context.Context, in ChangeInput, data []byte) error {
	next, _, err := core.Read(data)
	if err != nil {
		return kernel.Bad("file", "%v", err)
	}
	var v Drawn
	if err := s.base(ctx, in.BankID, &v); err != nil {
		return err
	}
	was, _, err := s.shown(ctx, &v)
	if err != nil {
		return err
	}
	next.Photo, next.Pins = was.Photo, was.Pins // no file carries them
	for _, p := range next.Pieces {
		if p.Kind == core.Module {
			in.Op.ID += " " + p.ID
		}
	}
	var invalid *kernel.Invalid
	if err := s.may(ctx, &v, &in.Op); errors.As(err, &invalid) {
		return kernel.Bad("file", "%s", invalid.Fields["id"])
	} else if err != nil {
		return err
	}
	if _, err := core.Judge(next, v.Units); err != nil {
		return kernel.Bad("file", "%v", err)
	}
	return s.replace(ctx, in, was, next, "taken from a file")
}

func (s *Room) keep(tx *gorm.DB, b store.Bank, after *int64, d core.Drawing, said, token string) (*int64, error) {
	row := store.Drawing{BankID: b.ID, AfterID: after, Body: store.JSONOf(d), Said: said, DrawnBy: kernel.Acts(tx),
		DrawnAt: s.Now(), Token: token}
	err := tx.Create(&row).Error
	return &row.ID, err
}

// same is the bank, where its drawing is the one that was shown, and may be changed.
func (s *Room) same(tx *gorm.DB, bankID, at int64) (b store.Bank, err error) {
	if b, err = s.shows(tx, bankID, at); err == nil {
		err = changeable(b)
	}
	return b, err
}

// shows is the bank, where its drawing is the one that was shown.
func (s *Room) shows(tx *gorm.DB, bankID, at int64) (b store.Bank, err error) {
	if b, err = kernel.ByID[store.Bank](tx, bankID, "bank"); err != nil {
		return b, err
	}
	now := int64(0)
	if b.DrawingID != nil {
		now = *b.DrawingID
	}
	if now != at {
		return b, kernel.Bad("", "the drawing was changed meanwhile, by somebody else or in another window. It is "+
			"shown as it is now, and what was meant is not done: do it again")
	}
	return b, nil
}

func changeable(b store.Bank) error {
	if b.Station == station.Keep {
		return kernel.Bad("", "%s is in service: its drawing says how it stands. Take it out of service first", b.Name)
	}
	return nil
}

// may adds modules of the stock to what may be drawn: they must be on record and have a layout.
func (s *Room) may(ctx context.Context, v *Drawn, op *change.Op) error {
	if v.Stands {
		return v.block(op)
	}
	db := s.Store.DB.WithContext(ctx)
	var numbers []string
	for _, number := range strings.FieldsFunc(op.ID, func(r rune) bool { return r == ' ' || r == ',' || r == ';' }) {
		if _, ok := v.Units[number]; ok {
			numbers = append(numbers, number)
			continue
		}
		m, err := kernel.ModuleByNumber(db, number)
		if err != nil {
			return kernel.Bad("id", "%s is not on record: expected the number of a module", number)
		}
		switch {
		case m.Quarantined:
			return kernel.Bad("id", "%s is in quarantine: %s", m.Number, m.QuarantineWhy)
		case m.BankID != nil && *m.BankID != v.Bank.ID:
			return kernel.Bad("id", "%s is in another bank", m.Number)
		}
		units, err := s.Bank.Units(ctx, plan.Wiring{}, []string{m.Number})
		if err != nil {
			return err
		}
		u, ok := units[m.Number]
		if !ok {
			return kernel.Bad("id", "%s has no layout yet: map one of its type first", m.Number)
		}
		v.Units[m.Number] = u
		numbers = append(numbers, m.Number)
	}
	op.ID = strings.Join(numbers, " ")
	return nil
}

// block lets the parts of a bank that stands be put down on its drawing, and nothing of the stock.
func (v *Drawn) block(op *change.Op) error {
	for _, id := range strings.Fields(op.ID) {
		if _, ok := v.Units[id]; !ok {
			return kernel.Bad("id", "%s is no part of %s: it is drawn as it stands", id, v.Bank.Name)
		}
	}
	return nil
}

// Free is how many modules of a type may be put down on a drawing.
type Free struct {
	Type store.ModuleType
	Many int
}

// free are the modules that may be put down by their type: in no bank, not set aside or held, and with a layout. What
// may go into a bank is asked once it is designed.
func free(db *gorm.DB) *gorm.DB {
	return db.Model(&store.Module{}).Where("bank_id IS NULL AND quarantined = 0 AND hold = '' AND station <> ? AND "+
		"fitness <> ? AND type_id IN (SELECT id FROM module_types WHERE layout_id IS NOT NULL)", station.Out,
		grade.Reject)
}

// Stock lists the types of which modules may be put down.
func (s *Room) Stock(ctx context.Context) (out []Free, err error) {
	db := s.Store.DB.WithContext(ctx)
	var rows []struct {
		TypeID int64
		Many   int
	}
	if err := free(db).Select("type_id, count(*) AS many").Group("type_id").Scan(&rows).Error; err != nil {
		return nil, err
	}
	for _, r := range rows {
		t, err := kernel.TypeByID(db, r.TypeID)
		if err != nil {
			return nil, err
		}
		out = append(out, Free{t, r.Many})
	}
	slices.SortFunc(out, func(a, b Free) int { return strings.Compare(a.Type.Name, b.Type.Name) })
	return out, nil
}

// Some are the numbers of modules of a type that may be put down, the accepted ones first.
func (s *Room) Some(ctx context.Context, typeID int64, n int) (out []string, err error) {
	if n < 1 || n > 500 {
		return nil, kernel.Bad("count", "expected how many, 1 to 500")
	}
	err = free(s.Store.DB.WithContext(ctx)).Where("type_id = ?", typeID).
		Order(clause.OrderBy{Expression: clause.Expr{SQL: "fitness <> ?, number",
			Vars: []any{grade.Accept}}}).Limit(n).Pluck("number", &out).Error
	if err == nil && len(out) < n {
		err = kernel.Bad("count", "%d of them are free", len(out))
	}
	return out, err
}

// Undo goes back to the row before the one that is shown; nothing is lost by it.
func (s *Room) Undo(ctx context.Context, bankID, at int64, token string) error {
	return s.goTo(ctx, bankID, at, token, func(tx *gorm.DB, row store.Drawing) (*int64, error) {
		if row.AfterID == nil {
			return nil, kernel.Bad("", "there is nothing before it")
		}
		return row.AfterID, nil
	})
}

// Redo goes to the newest row that came after the one that is shown.
func (s *Room) Redo(ctx context.Context, bankID, at int64, token string) error {
	return s.goTo(ctx, bankID, at, token, func(tx *gorm.DB, row store.Drawing) (*int64, error) {
		next, ok, err := kernel.Find[store.Drawing](tx.Where("after_id = ?", row.ID).Order("id DESC"))
		if err == nil && !ok {
			err = kernel.Bad("", "nothing comes after it")
		}
		return &next.ID, err
	})
}

// GoTo shows another row of the same bank.
func (s *Room) GoTo(ctx context.Context, bankID, at, to int64, token string) error {
	return s.goTo(ctx, bankID, at, token, func(tx *gorm.DB, _ store.Drawing) (*int64, error) {
		row, err := bank.DrawingByID(tx, bankID, to)
		return &row.ID, err
	})
}

func (s *Room) goTo(ctx context.Context, bankID, at int64, token string,
	to func(tx *gorm.DB, row store.Drawing) (*int64, error)) error {
	return s.Action(ctx, token, "drawing", func(tx *gorm.DB) error {
		b, err := s.same(tx, bankID, at)
		if err != nil {
			return err
		}
		if b.DrawingID == nil {
			return kernel.Bad("", "nobody changed it yet")
		}
		row, err := bank.DrawingByID(tx, bankID, *b.DrawingID)
		if err != nil {
			return err
		}
		id, err := to(tx, row)
		if err != nil {
			return err
		}
		return tx.Model(&store.Bank{}).Where("id = ?", b.ID).Update("drawing_id", *id).Error
	})
}

// Between says what joining two points of a bank's drawing would do.
func (s *Room) Between(ctx context.Context, bankID int64, a, b string) (change.Joint, error) {
	var v Drawn
	if err := s.base(ctx, bankID, &v); err != nil {
		return change.Joint{}, err
	}
	d, _, err := s.shown(ctx, &v)
	if err != nil {
		return change.Joint{}, err
	}
	j, err := change.Between(d, v.Units, a, b)
	return j, told(err)
}

// Build makes the drawing that is shown the one that the bank is built by. What was checked on the bank is to be
// checked anew. One with a short in it, or of another bank than the design, is no drawing to build by.
func (s *Room) Build(ctx context.Context, bankID, at int64, token string) error {
	v, err := s.Load(ctx, bankID)
	if err != nil {
		return err
	}
	if v.Stands {
		return kernel.Bad("", "%s stands already: its drawing says how", v.Bank.Name)
	}
	if v.Design == nil {
		return kernel.Bad("", "%s is not designed yet: choose its modules first", v.Bank.Name)
	}
	if v.At == 0 {
		return kernel.Bad("", "it is built by its design already: nobody changed the drawing")
	}
	if err := bank.SameModules(v.State.Drawing, *v.Design); err != nil {
		return err
	}
	if err := v.fits(); err != nil {
		return err
	}
	return s.Action(ctx, token, "drawing", func(tx *gorm.DB) error {
		b, err := s.same(tx, bankID, at)
		if err != nil {
			return err
		}
		return s.builtBy(tx, b, b.DrawingID, "Built by the drawing from now on: "+v.Row.Said)
	})
}

// fits says why a drawing cannot be built by: a short, or another bank than the one that was designed.
func (v Drawn) fits() error {
	var refused []finding.Finding
	for _, f := range v.State.Findings {
		if f.Level == finding.Refuse {
			refused = append(refused, f)
		}
	}
	if len(refused) > 0 {
		return kernel.Stopped(refused)
	}
	c := v.Design.Candidate
	if t := v.State.Tells; t.Series != c.Series || t.Parallel != c.Parallel {
		return kernel.Bad("", "it is drawn with %s in series, %d in parallel, and was designed with %d and "+
			"%d: the need "+
			"was met by those", numeral.Count(t.Series, "group"), t.Parallel, c.Series, c.Parallel)
	}
	return nil
}

// AsDesigned makes the design alone what the bank is built by.
func (s *Room) AsDesigned(ctx context.Context, bankID, at int64, token string) error {
	return s.Action(ctx, token, "drawing", func(tx *gorm.DB) error {
		b, err := s.same(tx, bankID, at)
		if err != nil {
			return err
		}
		if b.Origin == store.Stands {
			return kernel.Bad("", "%s stands already: its drawing says how", b.Name)
		}
		return s.builtBy(tx, b, nil, "Built as designed from now on: the drawing does not count")
	})
}

func (s *Room) builtBy(tx *gorm.DB, b store.Bank, id *int64, said string) error {
	err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(map[string]any{"built_by_id": id,
		"design_version": b.DesignVersion + 1, "version": b.Version + 1}).Error
	if err != nil {
		return err
	}
	return s.Log(tx, "design", kernel.About{Bank: b.ID}, "%s", said)
}

// Versions lists the rows of a bank's drawing, the newest first.
func (s *Room) Versions(ctx context.Context, bankID int64, most int) (out []store.Drawing, err error) {
	err = s.Store.DB.WithContext(ctx).Omit("body").Where("bank_id = ?", bankID).Order("id DESC").Limit(most).
		Find(&out).Error
	return out, err
}

// Against compares what is shown with another row of the same bank.
func (s *Room) Against(ctx context.Context, v Drawn, id int64) ([]core.Difference, store.Drawing, error) {
	row, err := bank.DrawingByID(s.Store.DB.WithContext(ctx), v.Bank.ID, id)
	if err != nil {
		return nil, row, err
	}
	d, err := row.Body.Get()
	return core.Compare(d, v.State.Drawing), row, err
}
