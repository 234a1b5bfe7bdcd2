package module

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/procedure/gates"
	"pandrel/draw"
	"pandrel/shop/desk"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/test"
	"pandrel/shop/working"
	"pandrel/store"
	"pandrel/web/choice"
	"pandrel/web/frame"
	"pandrel/web/sketch"
)

// moduleView is a module's whole life.
type moduleView struct {
	desk.Life
	struckView
	Checked   *measure.Checked
	Isolated  *measure.Isolated
	Worked    []frame.Worked
	Looked    *record.Inspected
	Photos    []store.Picture // other than those of the last look
	Shot      *frame.Form
	OwnCurve  string
	DriftPic  string
	Judgement string
	Level     string
	Ladder    string
	Layout    bool
	Preview   *grade.Grade
	Uses      grade.Uses // the best that can be made of one that no bank takes
	Pictures  map[int64]string
	Form      *frame.Form
	Next      string
	Holds     []finding.Finding  // what keeps it from a place in a bank as things stand
	FullVolts float64            // where it can stand above the limit of touch, 0 where not
	PeopleTo  string             // the gate of people that is open, "" for none
	Part      *record.ReadInPart // what was read since its newest survey, not of every group
	Tests     []test.TestTrouble // tests of it that something stands against
	Back      []store.Withdrawal
	Parent    string   // the module that it came of, "" for none
	Children  []string // those that came of it
	Regroups  bool     // its type says how its groups are joined
	Withdraw  *frame.Form
	History   *frame.Form
	Plate     *frame.Form
	Gradable  bool       // there is something to grade it by
	Out       choice.Way // of what keeps it from a bank, where it waits for nothing else
}

func (sv *Room) module(c *echo.Context) error {
	return sv.showModule(c, http.StatusOK, c.Param("number"), nil)
}

// showModule shows a module; f is a form of its page that failed.
//
// In one piece: what the page shows is collected in its order.
func (sv *Room) showModule(c *echo.Context, code int, number string, f *frame.Form) error {
	ctx := c.Request().Context()
	l, err := sv.Shop.Desk.Life(ctx, number)
	if err != nil {
		return err
	}
	v := moduleView{Life: l, Layout: l.Type.LayoutID != nil, Pictures: map[int64]string{}, Form: f,
		Gradable: l.Result.CapacityAh > 0 || l.Module.Quarantined || l.Module.Verdict == survey.Leaking}
	if f == nil || f.Kind == "withdraw" || f.Kind == "history" || f.Kind == "plate" || f.Kind == "strike" {
		v.Form = frame.Blank("grade", "by", frame.Who(c))
	}
	v.Withdraw = frame.Blank("withdraw", "by", frame.Who(c))
	v.Plate = frame.Blank("plate", "by", frame.Who(c), "plate_ah", frame.Known(l.Module.PlateAh))
	v.History = frame.Blank("history", "by", frame.Who(c), "history", l.Module.History, "note", l.Module.HistoryNote)
	if f != nil && f.Kind == "withdraw" {
		v.Withdraw = f
	}
	if f != nil && f.Kind == "history" {
		v.History = f
	}
	if f != nil && f.Kind == "plate" {
		v.Plate = f
	}
	people, err := sv.Shop.Procedure.PeopleOf(ctx, l.Module.Number)
	if err != nil {
		return err
	}
	if len(people.States) > 0 {
		v.FullVolts = people.FullVolts
		if next := gates.Next(people.States, ""); next != nil {
			v.PeopleTo = next.Title
		}
	}
	if v.Tests, err = sv.Shop.Tests.TestTroubles(ctx, l.Module.ID); err != nil {
		return err
	}
	if v.Back, err = sv.Shop.Measure.Withdrawals(ctx, l.Module.ID); err != nil {
		return err
	}
	if !l.Module.Quarantined {
		if v.Holds, err = sv.Shop.Record.MayNow(ctx, l.Module, l.Type, wants(l.Module)); err != nil {
			return err
		}
	}
	if len(l.Surveys) > 0 {
		v.Ladder, err = sv.Sketch.SurveyLadder(c, l.Module, l.Type, l.Surveys[0].Result)
		if err != nil {
			return err
		}
	}
	if v.Checked, v.Isolated, err = sv.Shop.Measure.LastChecks(ctx, l.Module.ID); err != nil {
		return err
	}
	if v.Part, err = sv.Shop.Measure.LastRead(ctx, l.Module, l.Type); err != nil {
		return err
	}
	if err := sv.seen(c, &v); err != nil {
		return err
	}
	if v.Worked, err = sv.WorkedAt(c.Request().Context(), working.From{Kind: "module", Name: v.Module.Number}); err !=
		nil {
		return err
	}
	if err := sv.mistakes(c, &v, f); err != nil {
		return err
	}
	v.DriftPic = sketch.DriftPicture(l)
	lay, _, err := sv.Shop.Record.LayoutFor(ctx, l.Module, l.Type)
	if err != nil {
		return err
	}
	for _, t := range l.Logs { // a log without group columns is drawn as the mean of its groups
		t.Thin.First = t.First()
		v.Pictures[t.ID] = draw.Trace("Log "+t.FileName, t.Thin, t.Series(lay.Series),
			frame.Limiting(t.Result.LimitingGroup))
	}
	if l.Module.Station == station.Grade || l.Grade == nil && l.Result.CapacityAh > 0 {
		g, err := sv.Shop.Grade.PreviewGrade(ctx, l.Module, l.Type)
		var inv *kernel.Invalid
		switch {
		case err == nil:
			v.Preview = &g
		case !errors.As(err, &inv): // without a rating there is no class to preview
			return err
		}
	}
	if g := cmp.Or(l.Grade, v.Preview); g != nil {
		if v.Uses, err = sv.Shop.Grade.NextUse(ctx, l.Module, l.Type, *g); err != nil {
			return err
		}
	}
	v.Regroups = l.Type.Inside.Set() && l.Module.BankID == nil && l.Module.Became == ""
	if v.Parent, v.Children, err = sv.Shop.Regroup.Kin(ctx, l.Module); err != nil {
		return err
	}
	if v.Out, err = sv.wayOut(ctx, l); err != nil {
		return err
	}
	if len(v.Children) > 0 {
		v.Out = choice.Way{Do: "Go on with", Of: v.Children[0], Path: frame.ModulePath(v.Children[0])}
	}
	v.Judgement, v.Level = judgement(l, v.Preview)
	return sv.ShowAt(c, code, "module", l.Module.Number, l.Module.Station, v)
}

// wayOut is where what holds a module is settled, of one that has passed all stations before a bank.
func (sv *Room) wayOut(ctx context.Context, l desk.Life) (w choice.Way, err error) {
	m := l.Module
	if m.Regroup != "" {
		return choice.Way{Do: "Go on with its cutting or regrouping", Path: frame.ModulePath(m.Number, "regroup")}, nil
	}
	if m.Hold == "" || m.Quarantined || l.Bank != nil || m.Station != station.Design {
		return w, nil
	}
	fs, err := sv.Shop.Record.MayNow(ctx, m, l.Type, passage.Build)
	for _, f := range choice.Leading("", "", "", finding.Standing(fs)) {
		if w == (choice.Way{}) && len(f.Ways) > 0 {
			w = f.Ways[0]
		}
	}
	return w, err
}

// wants is what a module waits for next at its station.
func wants(m store.Module) passage.Action {
	switch m.Station {
	case station.Receive, station.Inspect, station.Map, station.Survey:
		return passage.Measure
	case station.Test:
		return passage.Test
	case station.Grade:
		return passage.Grade
	case station.Wire:
		return passage.Build
	case station.Keep:
		return passage.Service
	}
	return passage.Design
}

func (sv *Room) withdraw(c *echo.Context) error {
	return sv.moduleForm(c, "withdraw", func(number string, f *frame.Form) frame.Act {
		in := measure.WithdrawInput{Number: number, SurveyID: int64(f.Whole("survey", 0)), Group: f.Whole("group", 0),
			Reason: f.Get("reason"), Token: f.Once()}
		return func() (string, error) {
			return frame.ModulePath(number), sv.Shop.Measure.WithdrawReading(c.Request().Context(), in)
		}
	})
}

func (sv *Room) saveHistory(c *echo.Context) error {
	return sv.moduleForm(c, "history", func(number string, f *frame.Form) frame.Act {
		in := receive.HistoryInput{Number: number, History: f.Get("history"), Note: f.Get("note"), Token: f.Once()}
		return func() (string, error) {
			return frame.ModulePath(number), sv.Shop.Receive.SaveHistory(c.Request().Context(), in)
		}
	})
}

func (sv *Room) savePlate(c *echo.Context) error {
	return sv.moduleForm(c, "plate", func(number string, f *frame.Form) frame.Act {
		in := receive.PlateInput{Number: number, PlateAh: f.Opt("plate_ah", 0), Why: f.Get("why"), Token: f.Once()}
		return func() (string, error) {
			return frame.ModulePath(number), sv.Shop.Receive.SavePlate(c.Request().Context(), in)
		}
	})
}

// moduleForm handles one of the module page's forms.
func (sv *Room) moduleForm(c *echo.Context, name string, bind func(number string, f *frame.Form) frame.Act) error {
	number := c.Param("number")
	return frame.Post(c, name, func(f *frame.Form) (frame.Act, error) { return bind(number, f), nil },
		func(code int, f *frame.Form) error { return sv.showModule(c, code, number, f) })
}

// seen fills what was seen of a module: its last look and its pictures.
func (sv *Room) seen(c *echo.Context, v *moduleView) (err error) {
	ctx := c.Request().Context()
	if v.Looked, err = sv.Shop.Record.LastLook(ctx, v.Module.ID); err != nil {
		return err
	}
	all, err := sv.Shop.Record.PicturesOf(ctx, v.Module.ID)
	if err != nil {
		return err
	}
	for _, p := range all {
		if v.Looked == nil || p.InspectionID == nil || *p.InspectionID != v.Looked.ID {
			v.Photos = append(v.Photos, p)
		}
	}
	own, err := record.OwnCurve(v.Type)
	if own != nil {
		v.OwnCurve = own.Source
	}
	if v.Shot = v.Form; v.Shot == nil || v.Shot.Kind != "picture" {
		v.Shot = frame.Blank("picture", "by", frame.Who(c))
	}
	return err
}

// away is what a look says that is done with a module that goes no further, "" where no look found it so.
func away(l desk.Life) string {
	for _, x := range l.Inspections {
		fs, err := x.Findings.Get()
		if err != nil || l.IsStruck(record.StrikeLook, x.ID) {
			continue
		}
		for _, f := range fs {
			if f.Level == finding.Refuse && f.Do != "" {
				return f.Do + " "
			}
		}
	}
	return ""
}

// judgement is the sentence a module's page opens with.
//
// In one piece: the first case that fits is the sentence; their order is what matters most.
func judgement(l desk.Life, preview *grade.Grade) (text, level string) {
	m := l.Module
	see := "See the bank."
	if l.Bank != nil && l.Bank.Station == station.Keep {
		see = "That bank is in service: switch it off and take it out of work before anything else."
	}
	switch {
	case m.Quarantined && l.Bank != nil:
		return fmt.Sprintf("In quarantine: %s. It stands in bank %s: switch that bank off and take it out of work "+
			"before anything else.", strings.TrimSuffix(m.QuarantineWhy, "."), l.Bank.Name), "refuse"
	case m.BankDoubt != "" && l.Bank != nil:
		return fmt.Sprintf("%s stands in bank %s, and %s. %s", m.Number, l.Bank.Name,
			strings.TrimSuffix(m.BankDoubt, "."), see), "stop"
	case m.Quarantined:
		return fmt.Sprintf("In quarantine: %s. %sIt cannot be tested, matched or wired.",
			strings.TrimSuffix(m.QuarantineWhy, "."), away(l)), "refuse"
	case m.Hold != "" && l.Bank != nil:
		return fmt.Sprintf("%s stands in bank %s, and %s. %s", m.Number, l.Bank.Name,
			strings.TrimSuffix(m.Hold, "."), see), "stop"
	case l.Bank != nil && len(l.Surveys) > 0 && finding.Blocks(l.Surveys[0].Result.Findings):
		return fmt.Sprintf("It stands in bank %s. %s %s", l.Bank.Name, l.Surveys[0].Result.Findings[0].Text,
			see), "stop"
	case len(l.Surveys) > 0 && finding.Blocks(l.Surveys[0].Result.Findings):
		f := l.Surveys[0].Result.Findings[0]
		return f.Text + " " + f.Do, "stop"
	case m.Hold != "":
		return fmt.Sprintf("%s %s. It goes into no bank before that is settled.", m.Number,
			strings.TrimSuffix(m.Hold, ".")), "stop"
	case l.Bank != nil && len(l.Surveys) > 0 && l.Surveys[0].Result.Verdict != survey.OK:
		f := l.Surveys[0].Result.Findings[0]
		return fmt.Sprintf("It stands in bank %s, and its last survey says %s. %s %s", l.Bank.Name,
			l.Surveys[0].Result.Verdict, f.Text, f.Do), string(l.Surveys[0].Result.Verdict)
	case l.Bank != nil:
		return fmt.Sprintf("Stands in bank %s.", l.Bank.Name), "ok"
	case l.Grade != nil && (m.Station == station.Design || m.Station == station.Out):
		return fmt.Sprintf("%s: %s. %s", m.Class.Name(), l.Grade.FitFor, l.Grade.Reasons[0].Text),
			string(l.Grade.Fitness)
	case m.Station == station.Grade && preview != nil && preview.Class != grade.Open:
		return fmt.Sprintf("Tested: it would be class %s, for %s.", preview.Class, preview.FitFor), "ready"
	case len(l.Surveys) > 0 && l.Surveys[0].Result.Verdict != survey.OK:
		f := l.Surveys[0].Result.Findings[0]
		return f.Text + " " + f.Do, string(l.Surveys[0].Result.Verdict)
	case m.Station == station.Test && l.Result.CapacityAh > 0:
		if h := l.Result.HighAh; h > l.Result.CapacityAh {
			return fmt.Sprintf("%.1f to %.1f Ah with what the gaps may hide: no complete test yet.",
				l.Result.CapacityAh, h), "caution"
		}
		return fmt.Sprintf("At least %.1f Ah, but no complete test yet.", l.Result.CapacityAh), "caution"
	}
	lead := ""
	if preview != nil && preview.SoH != nil && preview.Class != grade.Open {
		lead = fmt.Sprintf("%.1f Ah, %.1f %% of rated: class %s as far as its test goes. ", l.Result.CapacityAh,
			grade.Shown(*preview.SoH*100), preview.Class)
	}
	next := map[station.Station]string{station.Inspect: "Look at it before measuring.",
		station.Map: "Its type has no layout yet: map it.", station.Survey: "Read every group at rest.",
		station.Test: "Its groups agree. Test it for capacity.", station.Grade: "Grade it."}
	return lead + next[m.Station], "ready"
}

func (sv *Room) saveGrade(c *echo.Context) error {
	return sv.moduleForm(c, "grade", func(number string, f *frame.Form) frame.Act {
		return func() (string, error) {
			_, err := sv.Shop.Grade.GradeModule(c.Request().Context(), number, f.Once())
			if f.Get("back") == "list" { // from the list of those that wait
				return "/station/" + string(station.Grade), err
			}
			return frame.ModulePath(number), err
		}
	})
}
