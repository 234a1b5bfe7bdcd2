package web

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank"
	"pandrel/core/bms"
	"pandrel/core/match"
	"pandrel/core/wiring"
	"pandrel/draw"
	"pandrel/shop"
	"pandrel/store"
)

// bankView is one bank: need, ways to meet it, drawing, wiring, BMS, log.
type bankView struct {
	Bank       store.Bank
	Need       shop.Need
	Candidates []bank.Candidate
	Plan       *shop.DesignPlan
	Judgement  string
	Level      string
	Picture    string
	Wiring     *shop.Wiring
	Choices    []bms.Choice
	Device     bms.Device
	Settings   []bms.Setting
	Sense      []senseView
	Events     []store.Event
	Edit       *form
	Act        *form
	OtherAh    float64 // what the other style would give
	GainAh     float64
	GainKWh    float64
	PlaceRows  []placeRow
	SenseOK    bool
}

// placeRow is a module in the list of the build sheet, counted from 1.
type placeRow struct {
	Position, Mate  int
	Number          string
	Ah, MOhm, Volts float64
}

// senseView is the sense table of one BMS with the readings typed in.
type senseView struct {
	BMS   string
	Rows  []senseRow
	Form  *form
	Check *shop.SenseCheck
}

type senseRow struct {
	Input    int
	Point    string
	Expected float64
	Name     string
	Value    string
	Error    string
	Bad      bool
}

func (sv *Server) bank(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	return sv.showBank(c, http.StatusOK, id, nil)
}

// showBank shows a bank; f is a form of it that failed.
func (sv *Server) showBank(c *echo.Context, code int, id int64, f *form) error {
	v, err := sv.bankPage(c, id, f)
	if err != nil {
		return err
	}
	return sv.showAt(c, code, "bank", v.Bank.Name, v.Bank.Station, v)
}

func (sv *Server) bankPage(c *echo.Context, id int64, f *form) (bankView, error) {
	ctx := c.Request().Context()
	b, n, d, err := sv.s.Bank(ctx, id)
	v := bankView{Bank: b, Need: n, Plan: d}
	if err != nil {
		return v, err
	}
	if v.Events, err = sv.s.BankEvents(ctx, id); err != nil {
		return v, err
	}
	version := strconv.Itoa(b.Version)
	v.Act = blank("bank", "version", version, "by", who(c))
	v.Edit = blank("need", "version", version, "name", b.Name, "client", b.Client, "abs_max_v", fmt.Sprint(n.AbsMaxVolts), "charge_max_v", fmt.Sprint(n.ChargeMaxVolts), "cutoff_v", fmt.Sprint(n.CutoffVolts),
		"start_v", fmt.Sprint(n.StartVolts), "load_w", fmt.Sprint(n.LoadWatts), "kwh", fmt.Sprint(n.WantedKWh), "charge_a", fmt.Sprint(n.ChargeAmps), "peak_a", fmt.Sprint(n.PeakAmps), "by", who(c))
	switch {
	case n.FreezesHere:
		v.Edit.values.Set("freezes", "yes")
	case n.FrostAsked:
		v.Edit.values.Set("freezes", "no")
	}
	if n.WetPlace {
		v.Edit.values.Set("wet", "on")
	}
	switch {
	case f == nil:
	case f.name == "need":
		v.Edit = f
	case f.name != "sense":
		v.Act = f
	}
	if d == nil {
		if v.Candidates, err = sv.s.Candidates(ctx, n); err != nil {
			return v, err
		}
		v.Judgement, v.Level = candidateSentence(v.Candidates)
		return v, nil
	}
	w, err := sv.s.PlanWiring(ctx, b, n, *d)
	if err != nil {
		return v, err
	}
	v.Wiring = &w
	v.Picture = picture(b, *d, w)
	if v.Choices, err = shop.BMSChoices(n, *d); err != nil {
		return v, err
	}
	if v.Device, v.Settings, err = sv.s.SettingsSheet(ctx, b, n, *d); err != nil {
		return v, err
	}
	if v.OtherAh, err = sv.s.OtherStyle(ctx, *d); err != nil {
		return v, err
	}
	v.GainAh = d.Match.GainAh()
	v.GainKWh = d.Candidate.EnergyKWh(v.GainAh)
	for _, pl := range d.Places {
		v.PlaceRows = append(v.PlaceRows, placeRow{pl.Position + 1, pl.Mate + 1, pl.Number, pl.CapacityAh, pl.MOhm, pl.TotalVolts()})
	}
	if err := sv.senseTables(c, &v, f); err != nil {
		return v, err
	}
	v.Judgement, v.Level = bankSentence(v)
	return v, nil
}

func candidateSentence(cs []bank.Candidate) (string, string) {
	if len(cs) == 0 {
		return "No graded modules in stock come near these voltages. Grade more modules, or another type.", "caution"
	}
	c := cs[0]
	if c.Refused {
		return fmt.Sprintf("None of the %d ways fits. %s", len(cs), c.Findings[0].Text), "stop"
	}
	text := fmt.Sprintf("Best fit: %d groups of %s in series, %d in parallel, %.1f kWh usable of %.1f.", c.Series, c.Type, c.Parallel, c.UsableKWh, c.TotalKWh)
	if !c.ReachesWanted {
		return text + " That is less than wanted.", "caution"
	}
	return text, "ready"
}

func bankSentence(v bankView) (string, string) {
	b, d := v.Bank, v.Plan
	if fs := shop.Standing(v.Wiring.Report.Findings); len(fs) > 0 && b.BMS != "" {
		return fs[0].Text + " " + fs[0].Do, "stop"
	}
	size := fmt.Sprintf("%.1f Ah, %.1f kWh usable at %d groups", d.Candidate.CapacityAh, d.Candidate.UsableKWh, d.Candidate.Series)
	switch {
	case b.Station == shop.Keep:
		return "In service: " + size + ".", "ok"
	case b.BMS == "":
		return size + ". Choose its BMS next: no bank is built without one.", "ready"
	case v.SenseOK:
		return size + ". Wiring and sense leads checked: the plug may go in, last of all.", "ok"
	}
	for _, s := range v.Sense {
		if s.Check != nil && s.Check.Current && s.Check.Judged.Kind != wiring.Good {
			return fmt.Sprintf("Do not plug in: %s", s.Check.Judged.Findings[0].Text), "stop"
		}
	}
	return size + ". Build it in the order below, then measure every sense lead before the plug goes in.", "ready"
}

// picture draws the bank with potentials and sense inputs.
func picture(b store.Bank, d shop.DesignPlan, w shop.Wiring) string {
	p := draw.Bank{Title: "Bank " + b.Name, Series: d.Candidate.ModulesInString, Parallel: d.Candidate.Parallel, StringsFirst: d.Style == match.StringsFirst && d.Candidate.Parallel > 1, PlusVolts: w.Report.Potentials["OUT+"]}
	for _, x := range w.Netlist.BMS {
		p.BMS = append(p.BMS, x.ID)
	}
	for _, k := range w.Netlist.Conductors {
		if k.Kind == wiring.Fuse {
			p.Fuses = append(p.Fuses, k.ID)
		}
	}
	p.LinkName = func(position, mate int) string {
		if p.StringsFirst {
			return fmt.Sprintf("L%d%c", position+1, 'a'+mate)
		}
		return fmt.Sprintf("L%d", position+1)
	}
	for _, pl := range d.Places {
		m := draw.BankModule{Label: pl.Number, Position: pl.Position, Mate: pl.Mate}
		var posts map[string]int
		for _, x := range w.Netlist.Modules {
			if x.ID == pl.Number {
				posts = x.Posts
			}
		}
		base := 0.0
		for name, node := range posts {
			if node == 0 {
				base = w.Report.Potentials[pl.Number+"."+name]
			}
		}
		m.Volts = append(m.Volts, base)
		for _, v := range pl.Volts {
			base += v
			m.Volts = append(m.Volts, base)
		}
		for k := range m.Volts {
			m.Sense = append(m.Sense, w.SenseOf[fmt.Sprintf("%s/%d", pl.Number, k)])
		}
		p.Modules = append(p.Modules, m)
	}
	return p.SVG()
}

// senseTables lists what each lead must read, with what was typed last.
func (sv *Server) senseTables(c *echo.Context, v *bankView, failed *form) error {
	checks, err := sv.s.SenseChecks(c.Request().Context(), v.Bank)
	if err != nil {
		return err
	}
	v.SenseOK = len(v.Wiring.Netlist.BMS) > 0 && len(shop.Standing(v.Wiring.Report.Findings)) == 0
	for _, b := range v.Wiring.Netlist.BMS {
		s := senseView{BMS: b.ID, Form: blank("sense", "bms", b.ID, "by", who(c), "instrument", "bench multimeter")}
		if failed != nil && failed.name == "sense" && failed.get("bms") == b.ID {
			s.Form = failed
		}
		if k, ok := checks[b.ID]; ok {
			s.Check = &k
		}
		v.SenseOK = v.SenseOK && s.Check != nil && s.Check.Current && s.Check.Judged.Kind == wiring.Good
		for _, row := range v.Wiring.Report.SenseTable {
			if row.BMS != b.ID || row.ExpectedV == nil {
				continue
			}
			r := senseRow{Input: row.Input, Point: row.Point, Expected: *row.ExpectedV, Name: fmt.Sprintf("s%d", row.Input)}
			r.Value, r.Error = s.Form.get(r.Name), s.Form.errs[r.Name]
			if s.Check != nil && s.Check.Current {
				if r.Value == "" && failed == nil {
					r.Value = s.Check.Typed[row.Input]
				}
				for _, i := range s.Check.Judged.Inputs {
					r.Bad = r.Bad || i == row.Input
				}
			}
			s.Rows = append(s.Rows, r)
		}
		v.Sense = append(v.Sense, s)
	}
	return nil
}

func (sv *Server) saveNeed(c *echo.Context) error {
	f, err := read(c, "need")
	if err != nil {
		return err
	}
	in := shop.NeedInput{Version: f.whole("version", 0), Name: f.get("name"), Client: f.get("client"), By: f.get("by"), Token: f.Token()}
	in.Need = shop.Need{Need: bank.Need{AbsMaxVolts: f.num("abs_max_v"), ChargeMaxVolts: f.num("charge_max_v"), CutoffVolts: f.num("cutoff_v"), StartVolts: f.opt("start_v", 0), LoadWatts: f.num("load_w"), WantedKWh: f.num("kwh"), WetPlace: f.get("wet") != "",
		ChargeAmps: f.opt("charge_a", 0), PeakAmps: f.opt("peak_a", 0)}, FreezesHere: f.get("freezes") == "yes", FrostAsked: f.get("freezes") != ""}
	if c.Param("id") != "" {
		if in.ID, err = idParam(c); err != nil {
			return err
		}
	}
	if !f.Bad() {
		b, err := sv.s.SaveNeed(c.Request().Context(), in)
		if err == nil {
			return saved(c, f, fmt.Sprintf("/banks/%d", b.ID))
		}
		if again(err) {
			return c.Redirect(http.StatusSeeOther, "/station/design")
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	if in.ID > 0 {
		return sv.showBank(c, http.StatusUnprocessableEntity, in.ID, f)
	}
	return sv.showStation(c, http.StatusUnprocessableEntity, shop.Design, f)
}

// bankAction reads a small form of the bank page, acts, and shows the page again.
func (sv *Server) bankAction(c *echo.Context, anchor string, act func(id int64, f *form) error) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "bank")
	if err != nil {
		return err
	}
	err = act(id, f)
	if err == nil || again(err) {
		return saved(c, f, fmt.Sprintf("/banks/%d%s", id, anchor))
	}
	if err := f.take(err); err != nil {
		return err
	}
	return sv.showBank(c, http.StatusConflict, id, f)
}

func (sv *Server) saveDesign(c *echo.Context) error {
	return sv.bankAction(c, "", func(id int64, f *form) error {
		typ, rest, _ := strings.Cut(f.get("choice"), "|")
		s, p, _ := strings.Cut(rest, "|")
		series, err1 := strconv.Atoi(s)
		parallel, err2 := strconv.Atoi(p)
		if err1 != nil || err2 != nil {
			return shop.Bad("", "choose one of the ways listed")
		}
		_, err := sv.s.DesignBank(c.Request().Context(), shop.DesignInput{BankID: id, Version: f.whole("version", 0), Type: typ, Series: series, Parallel: parallel, Style: match.Style(f.get("style")), By: f.get("by"), Token: f.Token()})
		return err
	})
}

func (sv *Server) undoDesign(c *echo.Context) error {
	return sv.bankAction(c, "", func(id int64, f *form) error {
		return sv.s.UndoDesign(c.Request().Context(), id, f.whole("version", 0), f.get("by"), f.Token())
	})
}

func (sv *Server) saveBMS(c *echo.Context) error {
	return sv.bankAction(c, "#bms", func(id int64, f *form) error {
		return sv.s.ChooseBMS(c.Request().Context(), id, f.whole("version", 0), f.get("bms"), f.get("by"), f.Token())
	})
}

func (sv *Server) putInService(c *echo.Context) error {
	return sv.bankAction(c, "", func(id int64, f *form) error {
		return sv.s.PutInService(c.Request().Context(), id, f.whole("version", 0), f.get("confirm") != "", f.get("by"), f.Token())
	})
}

func (sv *Server) saveSense(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	f, err := read(c, "sense")
	if err != nil {
		return err
	}
	v, err := sv.bankPage(c, id, nil)
	if err != nil {
		return err
	}
	inputs := 0
	for _, s := range v.Sense {
		if s.BMS == f.get("bms") {
			inputs = len(s.Rows)
		}
	}
	in := shop.SenseInput{BankID: id, BMS: f.get("bms"), Volts: f.volts("s", 0, inputs), Instrument: f.get("instrument"), Accuracy: f.opt("accuracy_mv", 0) / 1000, By: f.get("by"), Token: f.Token()}
	if !f.Bad() {
		_, err := sv.s.RecordSense(c.Request().Context(), in)
		if err == nil || again(err) {
			return saved(c, f, fmt.Sprintf("/banks/%d#sense", id))
		}
		if err := f.take(err); err != nil {
			return err
		}
	}
	return sv.showBank(c, http.StatusUnprocessableEntity, id, f)
}

// sheet is the printable page.
func (sv *Server) sheet(c *echo.Context) error {
	id, err := idParam(c)
	if err != nil {
		return err
	}
	v, err := sv.bankPage(c, id, nil)
	if err != nil {
		return err
	}
	if v.Plan == nil {
		return shop.Bad("", "%s is not designed yet, so there is no build sheet", v.Bank.Name)
	}
	return sv.showAt(c, http.StatusOK, "sheet", "Build sheet "+v.Bank.Name, v.Bank.Station, v)
}
