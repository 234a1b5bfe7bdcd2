package shop

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/module/grade"
	"pandrel/core/module/layout"
	"pandrel/core/module/look"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/module/trace"
	"pandrel/core/procedure/gates"
	"pandrel/store"
)

// record collects what is on record of a module for the one rule of what it may do next.
func (s *Shop) record(db *gorm.DB, m store.Module, t store.ModuleType) (r passage.Record, err error) {
	r = passage.Record{Number: m.Number, Chemistry: t.Chemistry != "", OwnLayout: m.LayoutID != nil, Fitness: m.Fitness}
	if m.Quarantined {
		r.Quarantined = m.QuarantineWhy
	}
	if err := s.lookRecord(db, m, &r); err != nil {
		return r, err
	}
	o, ok, err := openingOf(db, m)
	if err != nil {
		return r, err
	}
	if ok && o.Begun {
		for _, f := range o.Findings {
			if f.Code == "missing" && r.Open == "" {
				r.Open = strings.TrimSuffix(f.Text, ".")
			}
		}
		if r.Open == "" && anyOff(o) && !o.Done {
			r.Open = "it is open"
		}
	}
	var iso string
	if err := db.Raw("SELECT verdict FROM isolation_checks WHERE module_id = ? ORDER BY id DESC LIMIT 1", m.ID).Scan(&iso).Error; err != nil {
		return r, err
	}
	r.Isolation = iso
	check, ok, err := find[store.ModuleCheck](db.Where("module_id = ?", m.ID).Order("id DESC"))
	if err != nil {
		return r, err
	}
	if ok && (t.LayoutID == nil || check.LayoutID == *t.LayoutID) {
		fs, err := fromJSON[[]finding.Finding](check.Findings)
		if err != nil {
			return r, err
		}
		r.CheckStops = texts(Standing(fs))
	}
	if err := ownMapRecord(db, m, t, &r); err != nil {
		return r, err
	}
	return r, s.surveyRecord(db, m, &r)
}

// lookRecord fills in what the newest look says.
func (s *Shop) lookRecord(db *gorm.DB, m store.Module, r *passage.Record) error {
	row, ok, err := find[store.Inspection](db.Where("module_id = ?", m.ID).Order("id DESC"))
	if err != nil || !ok {
		return err
	}
	r.Looked = true
	if row.Outcome == look.Clean {
		fs, err := fromJSON[[]finding.Finding](row.Findings)
		if err != nil {
			return err
		}
		if r.LookHeld = seenText(fs); len(fs) == 0 {
			r.LookHeld = row.Signs
		}
	}
	return nil
}

func anyOff(o Opening) bool {
	for _, st := range o.States {
		if st.IsOff && !st.IsOn {
			return true
		}
	}
	return false
}

func texts(fs []finding.Finding) (out []string) {
	for _, f := range fs {
		out = append(out, f.Text)
	}
	return out
}

// labelCodes are the stops of a module's own map that say it is not as its label says; others (a loop that
// does not close yet) only say that it is not mapped to the end.
var labelCodes = map[string]bool{"main-post-not-at-end": true, "reversed-group": true, "posts-joined": true, "plate-disagrees": true}

// ownMap is the map of a module's own newest readings; ok is false where there are none, or they cannot be
// mapped, which says nothing of the module.
func ownMap(db *gorm.DB, m store.Module, t store.ModuleType) (lay layout.Map, ok bool, err error) {
	set, ok, err := find[store.ProbeSet](db.Where("module_id = ?", m.ID).Order("id DESC"))
	if err != nil || !ok {
		return lay, false, err
	}
	readings, err := probeReadings(db, set.ID)
	if err != nil {
		return lay, false, err
	}
	lay, err = solveFor(t, readings)
	return lay, err == nil, nil
}

// ownMapRecord fills in what the module's own map says of it: stops, and points that are dead.
func ownMapRecord(db *gorm.DB, m store.Module, t store.ModuleType, r *passage.Record) error {
	lay, ok, err := ownMap(db, m, t)
	if err != nil || !ok {
		return err
	}
	for _, f := range lay.Findings {
		if f.Level >= finding.Stop && labelCodes[f.Code] {
			r.OwnMapStops = append(r.OwnMapStops, f.Text)
		}
	}
	if len(lay.Floating) == 0 {
		return nil
	}
	of, ok, err := layoutOf(db, t)
	if err != nil || !ok {
		return err
	}
	for _, n := range of.Nodes {
		alive := slices.DeleteFunc(slices.Clone(n.Points), func(p string) bool { return slices.Contains(lay.Floating, p) })
		if len(alive) == 0 && r.DeadTap == "" {
			r.DeadTap = n.Points[0]
		}
	}
	return nil
}

// surveyRecord fills in what the newest survey and the logs since say.
func (s *Shop) surveyRecord(db *gorm.DB, m store.Module, r *passage.Record) error {
	sv, at, ok, err := lastSurvey(db, m.ID)
	if err != nil {
		return err
	}
	if ok {
		r.Surveyed = true
		r.OverLimit = sv.Verdict == survey.Over
		r.Leaking = sv.Verdict == survey.Leaking
		for _, g := range sv.Groups {
			r.ReadTogether = r.ReadTogether || g.Shared > 1
		}
		for _, f := range sv.Findings {
			if f.Level >= finding.Stop && sv.Verdict == survey.Reread && r.SurveyHeld == "" {
				r.SurveyHeld = strings.TrimSuffix(f.Text, ".")
			}
		}
	}
	var logs []struct{ Result string }
	if err := db.Raw("SELECT r.result FROM traces t JOIN trace_results r ON r.trace_id = t.id WHERE t.module_id = ? AND t.uploaded_at > ? ORDER BY t.id DESC LIMIT 5", m.ID, at).Scan(&logs).Error; err != nil {
		return err
	}
	for _, l := range logs {
		res, err := fromJSON[trace.Result](l.Result)
		if err != nil {
			return err
		}
		for _, f := range res.Findings {
			if f.Code == "sample-doubtful" || f.Code == "driven-above" {
				r.LogDoubt = "has a log that must be settled: " + f.Text
			}
		}
	}
	return nil
}

// may returns a Blocked when what is on record keeps a module from an action at this moment.
func (s *Shop) may(db *gorm.DB, m store.Module, t store.ModuleType, a passage.Action) error {
	r, err := s.record(db, m, t)
	if err != nil {
		return err
	}
	if a >= passage.Design {
		if r.GradeStale, err = s.gradeStale(db, m, t); err != nil {
			return err
		}
	}
	if fs := Standing(passage.May(r, a)); len(fs) > 0 {
		return &Blocked{fs}
	}
	return nil
}

// gradeStale says why a module's grade no longer holds by what is on record now, "" where it does.
func (s *Shop) gradeStale(db *gorm.DB, m store.Module, t store.ModuleType) (string, error) {
	if m.Fitness != string(grade.Accept) {
		return "", nil
	}
	e, err := s.evidence(db, m, t)
	if err != nil {
		return "", err
	}
	g, err := grade.Judge(e, s.Policy.Grade)
	if err != nil || g.Fitness == grade.Accept {
		return "", err
	}
	why := string(g.Fitness)
	if len(g.Reasons) > 0 {
		why = g.Reasons[0].Text
	}
	return why, nil
}

// MayNow lists what keeps a module from an action, for its page.
func (s *Shop) MayNow(ctx context.Context, m store.Module, t store.ModuleType, a passage.Action) ([]finding.Finding, error) {
	r, err := s.record(s.st.DB.WithContext(ctx), m, t)
	if err != nil {
		return nil, err
	}
	return passage.May(r, a), nil
}

// rehold works out anew what keeps a module from a bank, and keeps it with the module.
func (s *Shop) rehold(tx *gorm.DB, moduleID int64) error {
	m, ok, err := find[store.Module](tx.Where("id = ?", moduleID))
	if err != nil || !ok {
		return err
	}
	t, err := typeByID(tx, m.TypeID)
	if err != nil {
		return err
	}
	r, err := s.record(tx, m, t)
	if err != nil {
		return err
	}
	hold := passage.Hold(r)
	if m.Quarantined {
		hold = "" // said by the quarantine itself
	}
	if hold == m.Hold && m.HoldRules == RulesVersion {
		return nil
	}
	return tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"hold": hold, "hold_rules": RulesVersion}).Error
}

// RefreshHolds works out the holds of modules that were judged by older rules. It is called at start.
func (s *Shop) RefreshHolds(ctx context.Context) error {
	var ids []int64
	if err := s.st.DB.WithContext(ctx).Model(&store.Module{}).Where("hold_rules <> ?", RulesVersion).Order("id").Pluck("id", &ids).Error; err != nil {
		return err
	}
	for len(ids) > 0 {
		n := min(len(ids), 200)
		err := s.st.Write(ctx, func(tx *gorm.DB) error {
			for _, id := range ids[:n] {
				if err := s.rehold(tx, id); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
		ids = ids[n:]
	}
	return nil
}

// Trouble is a module of a bank that must not be in it as things stand.
type Trouble struct {
	Number string
	Text   string // what it is or has, to be read behind its number
	Level  string // stop or refuse; caution for a worse survey
}

// Troubles lists the modules of a bank that are quarantined, held, leaking, or were surveyed worse since.
func (s *Shop) Troubles(ctx context.Context, bankID int64) ([]Trouble, error) {
	return troubles(s.st.DB.WithContext(ctx), "bank_id = ?", bankID)
}

// troubled is what marks a module of a bank in SQL.
const troubled = "(quarantined = 1 OR hold <> '' OR fitness <> 'accept' OR verdict IN ('leaking','quarantine','reread','over','suspect','watch'))"

func troubles(db *gorm.DB, where string, args ...any) (out []Trouble, err error) {
	var mods []store.Module
	err = db.Where(where, args...).Where(troubled).Order("number").Find(&mods).Error
	for _, m := range mods {
		tr := Trouble{Number: m.Number, Level: "stop"}
		switch {
		case m.Quarantined:
			tr.Level, tr.Text = "refuse", "is in quarantine: "+strings.TrimSuffix(m.QuarantineWhy, ".")
		case m.Hold != "":
			tr.Text = strings.TrimSuffix(m.Hold, ".")
		case m.Verdict == string(survey.Leaking):
			tr.Text = "leaks"
		case m.Fitness != string(grade.Accept):
			tr.Text = "has no grade that stands: grade it again"
		default:
			tr.Level, tr.Text = "caution", "was surveyed as "+m.Verdict+" since"
		}
		out = append(out, tr)
	}
	return out, err
}

// WithdrawInput takes back a reading that was a mistake.
type WithdrawInput struct {
	Number   string
	SurveyID int64
	Group    int
	Reason   string
	By       string
	Token    string
}

// WithdrawReading takes a reading back as a mistake: with a reason, initials, and a second reading in a later
// survey that contradicts it. Both stay on record. What was confirmed below never-recharge cannot be taken
// back by anyone.
func (s *Shop) WithdrawReading(ctx context.Context, in WithdrawInput) error {
	if text := gates.ReasonText(in.Reason, in.By); text != "" {
		return Bad("reason", "%s", text)
	}
	return s.action(ctx, in.Token, "withdraw", func(tx *gorm.DB) error {
		m, err := moduleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		if m.EverBelowNever {
			return &Blocked{[]finding.Finding{{Level: finding.Refuse, Code: "no-withdrawal", Subject: m.Number, Rule: "rules §3", Text: "A group below never-recharge was confirmed at rest: that cannot be withdrawn.", Do: "The module stays in quarantine."}}}
		}
		first, ok, err := find[store.Survey](tx.Where("id = ? AND module_id = ?", in.SurveyID, m.ID))
		if err != nil {
			return err
		}
		if !ok {
			return &NotFound{fmt.Sprintf("survey %d of %s", in.SurveyID, m.Number)}
		}
		second, ok, err := find[store.Survey](tx.Where("module_id = ? AND (taken_at > ? OR taken_at = ? AND id > ?)", m.ID, first.TakenAt, first.TakenAt, first.ID).Order("taken_at DESC, id DESC"))
		if err != nil {
			return err
		}
		if !ok {
			return Bad("reason", "read that group a second time first, in a new survey: the second reading decides")
		}
		row := store.Withdrawal{ModuleID: m.ID, SurveyID: first.ID, GroupNo: in.Group, SecondID: second.ID, Reason: strings.TrimSpace(in.Reason), By: initials(in.By), At: s.now(), Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		// A quarantine that only this reading made is lifted by the person, and the second reading stands.
		if m.Quarantined && m.QuarantineWhy != "" {
			v, _, ok, err := lastSurvey(tx, m.ID)
			if err != nil {
				return err
			}
			if !ok || v.Verdict == survey.Quarantine || v.Verdict == survey.Reread {
				return Bad("reason", "the second reading says the same: it cannot be a mistake")
			}
			sv, err := resultOf(tx, first.ID)
			if err != nil {
				return err
			}
			mine := false
			for _, f := range sv.Findings {
				mine = mine || f.Text == m.QuarantineWhy
			}
			if !mine {
				return Bad("reason", "%s is in quarantine for another reason: %s", m.Number, m.QuarantineWhy)
			}
			if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"quarantined": false, "quarantine_why": ""}).Error; err != nil {
				return err
			}
		}
		if err := s.log(tx, row.By, "withdrawn", about{module: m.ID}, "Reading of group %d of %s withdrawn as a mistake: %s", in.Group, first.TakenAt.Format("2006-01-02 15:04"), row.Reason); err != nil {
			return err
		}
		return s.rehold(tx, m.ID)
	})
}

// resultOf is what the rules made of one survey.
func resultOf(db *gorm.DB, surveyID int64) (survey.Result, error) {
	row, _, err := find[store.SurveyResult](db.Where("survey_id = ?", surveyID))
	if err != nil {
		return survey.Result{}, err
	}
	return fromJSON[survey.Result](row.Result)
}

// Withdrawals lists what was taken back of a module.
func (s *Shop) Withdrawals(ctx context.Context, moduleID int64) (out []store.Withdrawal, err error) {
	err = s.st.DB.WithContext(ctx).Where("module_id = ?", moduleID).Order("id DESC").Find(&out).Error
	return out, err
}

// probeReadings returns the readings of a set in the order they were taken.
func probeReadings(db *gorm.DB, setID int64) ([]layout.Reading, error) {
	var rows []store.ProbeReading
	if err := db.Where("set_id = ?", setID).Order("line").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]layout.Reading, len(rows))
	for i, r := range rows {
		out[i] = layout.Reading{Red: r.Red, Black: r.Black, Volts: r.Volts, LastDigit: r.LastDigit, AccuracyVolts: r.AccuracyVolts, Line: r.Line}
	}
	return out, nil
}

// AskedHistory is what a module's past was asked for, and what the answer was.
var AskedHistory = []string{"unknown", "clean", "flood", "crash", "recall"}

// HistoryInput is what is known of where a module was. It can be changed later; every change stays in the
// log.
type HistoryInput struct {
	Number  string
	History string
	Note    string
	By      string
	Token   string
}

// SaveHistory writes a module's history down. Flood and recall send it to quarantine for ever.
func (s *Shop) SaveHistory(ctx context.Context, in HistoryInput) error {
	ok := false
	for _, h := range AskedHistory {
		ok = ok || h == in.History
	}
	if !ok {
		return Bad("history", "expected one of %s", strings.Join(AskedHistory, ", "))
	}
	return s.action(ctx, in.Token, "history", func(tx *gorm.DB) error {
		m, err := moduleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		bad := in.History == "flood" || in.History == "recall"
		if (m.History == "flood" || m.History == "recall") && !bad {
			return &Blocked{[]finding.Finding{{Level: finding.Refuse, Code: "history-stays", Subject: m.Number, Rule: "hazards", Text: "Flood or recall history is on record: it is not taken back by a later answer.", Do: "The module stays in quarantine."}}}
		}
		note := strings.TrimSpace(in.Note)
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"history": in.History, "history_note": note, "flood_or_recall": bad}).Error; err != nil {
			return err
		}
		was := m.History
		if was == "" {
			was = "not asked"
		}
		if err := s.log(tx, initials(in.By), "history", about{module: m.ID}, "History: %s, before: %s. %s", in.History, was, note); err != nil {
			return err
		}
		if bad {
			if err := s.quarantine(tx, &m, initials(in.By), in.History+" history"); err != nil {
				return err
			}
		}
		return s.rehold(tx, m.ID)
	})
}
