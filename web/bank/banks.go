package bank

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/build"
	"pandrel/core/bank/floor"
	"pandrel/core/bank/match"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/unsure"
	"pandrel/core/bank/ways"
	"pandrel/core/bank/window"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/passage"
	"pandrel/core/module/sense"
	"pandrel/core/procedure/assembly"
	"pandrel/core/procedure/gates"
	"pandrel/draw"
	"pandrel/shop/bank"
	"pandrel/shop/desk"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/record"
	"pandrel/shop/working"
	"pandrel/store"
	"pandrel/web/choice"
	"pandrel/web/frame"
	pages "pandrel/web/procedure"
)

// bankView is one bank: need, ways to meet it, drawing, wiring, BMS, log.
type bankView struct {
	Bank       store.Bank
	Need       plan.Need
	Candidates []window.Candidate
	Plan       *plan.Design
	Judgement  string
	Level      string
	Picture    string
	Wiring     *plan.Wiring
	Choices    []bms.Choice
	Device     bms.Device
	Settings   []bms.Setting
	Sense      []senseView
	Events     []store.Event
	Edit       *frame.Form
	Act        *frame.Form
	OtherAh    known.Value // what the other style would give
	GainAh     known.Value
	GainKWh    known.Value
	PlaceRows  []placeRow
	SenseOK    bool
	Advice     []window.Advice
	Shelf      bank.Shelf
	NoneFits   bool   // no BMS that is known fits
	WantedBMS  string // what one would have to be
	Ah         known.Value
	KWh        known.Value // usable
	Short      known.Value // its fault current, amps
	Untested   []string
	Alike      bool // the untested ones are known alike
	ShowGain   bool
	Wants      string
	Test       *frame.Form
	Tests      []procedure.TestOfBank
	Allow      []string
	Fits       []window.Fit      // whatever is in stock
	OpenNeed   []finding.Finding // what of the need was not given
	Refused    []window.Candidate
	Go         wayOn // the next step, "" where nothing waits
	MayAllow   bool  // something that is left out may be let in by a reason in writing
	First      []unsure.Decisive
	Troubles   []troubleView
	Commission procedure.Commission
	Next       *gates.State // the gate whose form is shown, nil when all are done
	Open       string       // its key
	Parts      *frame.Form
	Step       *frame.Form
	Sheet      bool // there is something to build by
	Groups     []build.Group
	Worked     []frame.Worked // the workings that this bank raises
	Sized      []frame.Worked // those of them that the sheet needs
	Kept       []working.Kept
	PartsOpen  bool // a working's rating waits in the form of the parts, or one keeps the bank out of service
}

// troubleView is a module that must not be in the bank as it is, with what could take its place.
type troubleView struct {
	passage.Trouble
	Instead []plan.Replacement
}

// placeRow is a module in the list of the build sheet, counted from 1.
type placeRow struct {
	Position, Mate  int
	Number          string
	Ah, MOhm, Volts known.Value
}

// senseView is the sense table of one BMS with the readings typed in.
type senseView struct {
	BMS   string
	Rows  []senseRow
	Form  *frame.Form
	Check *bank.SenseCheck
	Top   string  // the point of the top lead
	TopV  float64 // what it must read against lead 0
	Blind int     // inputs whose tap cannot be reached from outside
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

func (sv *Room) bank(c *echo.Context, id int64) error {
	return sv.showBank(c, http.StatusOK, id, nil)
}

// showBank shows a bank; f is a form of it that failed.
func (sv *Room) showBank(c *echo.Context, code int, id int64, f *frame.Form) error {
	v, err := sv.bankPage(c, id, f)
	if err != nil {
		return err
	}
	return sv.ShowAt(c, code, "bank", v.Bank.Name, v.Bank.Station, v)
}

func (sv *Room) bankPage(c *echo.Context, id int64, f *frame.Form) (bankView, error) {
	ctx := c.Request().Context()
	b, n, d, err := sv.Shop.Bank.ByID(ctx, id)
	v := bankView{Bank: b, Need: n, Plan: d}
	if err != nil {
		return v, err
	}
	if v.Events, err = sv.Shop.Desk.BankEvents(ctx, id); err != nil {
		return v, err
	}
	v.forms(c, f)
	v.Wants = wants(n)
	if v.Tests, err = sv.Shop.Procedure.BankTests(ctx, id); err != nil {
		return v, err
	}
	if d == nil {
		return v, sv.ways(c, &v)
	}
	return v, sv.designed(c, &v, f)
}

// forms fills in the forms of the page; f is one of them that failed.
func (v *bankView) forms(c *echo.Context, f *frame.Form) {
	b, n := v.Bank, v.Need
	version := strconv.Itoa(b.Version)
	v.Test = frame.Blank("test", "by", frame.Who(c))
	v.Act = frame.Blank("bank", "version", version, "by", frame.Who(c))
	v.Edit = frame.Blank("need", "version", version, "name", b.Name, "client", b.Client, "class", frame.Count(n.Class),
		"series", frame.Count(n.Series),
		"abs_max_v", frame.Known(n.AbsMaxVolts), "charge_max_v", frame.Known(n.ChargeMaxVolts), "cutoff_v",
		frame.Known(n.CutoffVolts), "start_v", frame.Known(n.StartVolts), "load_w", cmp.Or(n.LoadText,
			numeral.LoadText(n.LoadWatts, n.LoadA)), "kwh",
		frame.Known(n.WantedKWh), "charge_a", frame.Known(n.ChargeAmps), "peak_a", frame.Known(n.PeakAmps), "by",
		frame.Who(c))
	switch {
	case n.FreezesHere:
		v.Edit.Values.Set("freezes", "yes")
	case n.FrostAsked:
		v.Edit.Values.Set("freezes", "no")
	}
	if n.WetPlace {
		v.Edit.Values.Set("wet", "on")
	}
	switch {
	case f == nil:
	case f.Kind == "need":
		v.Edit = f
	case f.Kind == "bank":
		v.Act = f
	case f.Kind == "test":
		v.Test = f
	}
}

// ways lists how a need can be met from the stock; where nothing fits, what would.
func (sv *Room) ways(c *echo.Context, v *bankView) (err error) {
	ctx := c.Request().Context()
	v.Allow = frame.QueryList(c, "allow")
	if got := v.Act.Values["allow"]; len(got) > 0 {
		v.Allow = got
	}
	if v.Shelf, err = sv.Shop.Bank.Shelf(ctx, v.Allow); err != nil {
		return err
	}
	v.MayAllow = slices.ContainsFunc(v.Shelf.Out, func(o record.LeftOut) bool { return o.MayAllow })
	if v.Candidates, err = sv.Shop.Bank.Candidates(v.Need, v.Shelf); err != nil {
		return err
	}
	if len(v.Candidates) == 0 || v.Candidates[0].Refused {
		if v.Advice, err = sv.Shop.Bank.Advice(v.Need, v.Shelf); err != nil {
			return err
		}
	}
	v.OpenNeed = window.Open(v.Need.Need)
	if len(v.Candidates) == 0 && len(v.Advice) == 0 {
		if v.Fits, err = window.Fits(v.Need.Need); err != nil {
			return err
		}
	}
	v.Judgement, v.Level = candidateSentence(v.Candidates, v.Advice)
	k := slices.IndexFunc(v.Candidates, func(c window.Candidate) bool { return c.Refused })
	if k >= 0 { // the refused ones stand last
		v.Candidates, v.Refused = v.Candidates[:k], v.Candidates[k:]
	}
	return nil
}

// pictured is a bank as it stands: by the drawing that it is built by, else as its design has it.
func pictured(title string, d plan.Design, w plan.Wiring) (string, error) {
	if w.Drawn == nil {
		return draw.BankOf(title, d, w).SVG(), nil
	}
	s, err := floor.Judge(*w.Drawn, w.Units)
	return draw.Floor{Title: title, State: s, Units: w.Units}.SVG(), err
}

// designed fills in what follows from a design: picture, wiring, BMS, sense leads, gates.
func (sv *Room) designed(c *echo.Context, v *bankView, f *frame.Form) error {
	ctx := c.Request().Context()
	b, n, d := v.Bank, v.Need, v.Plan
	w, err := sv.Shop.Bank.PlanWiring(ctx, b, n, *d)
	if err != nil {
		return err
	}
	v.Wiring = &w
	if v.Picture, err = pictured("Bank "+b.Name, *d, w); err != nil {
		return err
	}
	v.Sheet, v.Groups = len(w.Steps) > 0, build.Grouped(w.Steps)
	devices, err := sv.Shop.Bank.Devices(ctx)
	if err != nil {
		return err
	}
	if v.Choices, err = d.Choices(n, devices); err != nil {
		return err
	}
	best := slices.IndexFunc(v.Choices, func(c bms.Choice) bool { return !c.Refused })
	if v.NoneFits = best < 0; !v.NoneFits && v.Act.Get("bms") == "" {
		v.Act.Values.Set("bms", cmp.Or(b.BMS, v.Choices[best].Device.Name))
	}
	v.WantedBMS = bms.Wanted(d.BMSNeed(n))
	v.Ah, v.KWh, v.Short = d.Ah(), d.Usable(), d.Prospective()
	if d.Provisional() {
		v.Untested = d.Untested()
		v.First = d.TestFirst()
		v.Alike = d.UntestedAlike()
	}
	if v.Device, v.Settings, err = sv.Shop.Bank.SettingsSheet(ctx, b, n, *d); err != nil {
		return err
	}
	other, err := d.OtherStyle()
	if err != nil {
		return err
	}
	gain := d.Match.GainAh()
	v.ShowGain = v.Ah.Is() && gain >= 0.01*d.Candidate.CapacityAh // below that it is noise
	v.GainAh, v.GainKWh = d.As(gain), d.As(d.Candidate.EnergyKWh(gain))
	if d.Candidate.Parallel > 1 {
		v.OtherAh = d.As(other)
	}
	for _, pl := range w.Places {
		v.PlaceRows = append(v.PlaceRows, placeRow{pl.Position + 1, pl.Mate + 1, pl.Number, pl.Ah(), pl.Resistance(),
			pl.Now()})
	}
	if err := sv.senseTables(c, v, f); err != nil {
		return err
	}
	if err := sv.worked(c, v); err != nil {
		return err
	}
	if err := sv.bankGates(c, v, f); err != nil {
		return err
	}
	v.Judgement, v.Level = bankSentence(*v)
	v.Go, err = sv.wayOn(ctx, *v)
	return err
}

// wayOn is a press that leads to the next step.
type wayOn struct{ Href, Text string }

// wayOn is what comes next for a bank that is designed: out of danger first, then as its headline says.
func (sv *Room) wayOn(ctx context.Context, v bankView) (w wayOn, err error) {
	bad := slices.ContainsFunc(v.Troubles, func(t troubleView) bool { return t.Bad() })
	unread := slices.ContainsFunc(v.Sense, senseView.unlike)
	switch {
	case v.Bank.Station == station.Keep && (bad || len(v.Commission.CallsBack()) > 0):
		return wayOn{"#service", "Take it out of service"}, nil
	case v.Bank.Station != station.Wire || bad:
		return w, nil
	case len(v.Wiring.Assumed) > 0:
		m, err := sv.Shop.Module(ctx, v.Wiring.Assumed[0])
		return wayOn{fmt.Sprintf("/lots/%d", m.LotID), "Look at and survey its modules"}, err
	case v.Bank.BMS == "":
		return wayOn{"#bms", "Choose its BMS"}, nil
	case len(finding.Standing(v.Wiring.Report.Findings)) > 0:
		return wayOn{"#check", "What the wiring check found"}, nil
	case !v.Sheet:
		return wayOn{"#bms", "Choose another BMS"}, nil
	case unread:
		return wayOn{"#sense", "Mend the leads, and read them again"}, nil
	case !v.SenseOK || len(v.Commission.Build) > 0 && assembly.Next(v.Commission.Build, "") != nil:
		on := wayOn{fmt.Sprintf("/banks/%d/build", v.Bank.ID), "Build it, step by step"}
		if next := assembly.Next(v.Commission.Build, ""); next != nil {
			on.Text = "Go on with the build: " + next.Title
		}
		return on, nil
	case v.Next != nil:
		return wayOn{"#gates", "Next: " + v.Next.Title}, nil
	}
	if open := finding.Standing(v.Commission.Open); len(open) > 0 { // what the headline names is settled first
		on := choice.Leading("", "What keeps it out of service", "#service", open[:1])[0].Ways[0]
		return wayOn{on.Path, on.Name()}, nil
	}
	return wayOn{"#service", "Put it in service"}, nil
}

// unlike reports whether its leads were read as they stand, and not as expected.
func (s senseView) unlike() bool {
	return s.Check != nil && s.Check.Current && s.Check.Judged.Kind != sense.Good
}

// worked fills in the workings of a designed bank, and what was kept of them.
func (sv *Room) worked(c *echo.Context, v *bankView) error {
	ctx := c.Request().Context()
	list, err := sv.Shop.Working.OfBank(ctx, v.Bank, v.Need, *v.Plan, *v.Wiring)
	if err != nil {
		return err
	}
	v.Worked = frame.WorkedOut(working.From{Kind: "bank", ID: v.Bank.ID}.String(), list)
	for _, w := range v.Worked {
		if slices.Contains([]string{"path", "cable", "fuse", "screw", "precharge", "join"},
			w.Key) && w.Level != "unknown" {
			v.Sized = append(v.Sized, w)
		}
	}
	v.Kept, err = sv.Shop.Working.KeptOf(ctx, v.Bank.ID)
	return err
}

// bankGates fills in what keeps a designed bank out of service, or should take it out.
func (sv *Room) bankGates(c *echo.Context, v *bankView, f *frame.Form) error {
	ctx := c.Request().Context()
	b := v.Bank
	parts := bank.PartsOf(b)
	v.Parts, v.Step = frame.Blank("parts", "version", strconv.Itoa(b.Version), "by", frame.Who(c)),
		frame.Blank("step", "by", frame.Who(c))
	for name, x := range map[string]float64{"fuse_a": parts.FuseA, "fuse_v": parts.FuseV, "fuse_ka": parts.FuseKA,
		"cable_a": parts.CableA, "bond_a": parts.BondA, "fuse_mm": parts.FuseMM,
		"part_after": float64(parts.PartAfter)} {
		if x > 0 {
			v.Parts.Values.Set(name, fmt.Sprint(x))
		}
	}
	v.Parts.Values.Set("ways", parts.Ways)
	if parts.BondsFused {
		v.Parts.Values.Set("bonds_fused", "on")
	}
	for _, name := range []string{"fuse_a", "cable_a"} { // a working's result, to be looked at and saved
		if x := frame.Clip(frame.Query(c, name), 12); x != "" {
			v.Parts.Values.Set(name, x)
			v.PartsOpen = true
		}
	}
	v.PartsOpen = v.PartsOpen || b.BMS != "" && v.Wiring != nil && len(v.Wiring.Report.IntoService) > 0
	if f != nil && f.Kind == "parts" {
		v.Parts = f
	}
	if f != nil && f.Kind == "step" {
		v.Step = f
	}
	all, err := sv.Shop.Record.Troubles(ctx, b.ID)
	if err != nil {
		return err
	}
	for _, t := range all {
		x := troubleView{Trouble: t}
		if t.Bad() {
			if x.Instead, err = sv.Shop.Procedure.Replacements(ctx, *v.Plan, t.Number); err != nil {
				return err
			}
		}
		v.Troubles = append(v.Troubles, x)
	}
	if b.BMS == "" {
		return nil
	}
	if v.Commission, err = sv.Shop.Procedure.CommissionOf(ctx, b, v.Need, *v.Plan, *v.Wiring); err != nil {
		return err
	}
	if v.Next = gates.Next(v.Commission.States, cmp.Or(frame.Query(c, "step"), v.Step.Get("step"))); v.Next != nil {
		v.Open = v.Next.Key
	}
	return nil
}

// wants says a need in one line; what is open is not said.
func wants(n plan.Need) string {
	var parts []string
	add := func(format string, args ...any) { parts = append(parts, fmt.Sprintf(format, args...)) }
	switch {
	case n.Beside != nil:
		add("a second string for %s, %s", n.Beside.Name, numeral.Count(n.Beside.Series, "group"))
	case n.ChargeMaxVolts > 0 && n.CutoffVolts > 0:
		add("%s to %s V", numeral.Text(n.CutoffVolts), numeral.Text(n.ChargeMaxVolts))
	case n.Class > 0:
		add("a %d V system", n.Class)
	case n.Series > 0:
		add("%s, device not known", numeral.Count(n.Series, "group"))
	}
	switch {
	case n.LoadText != "":
		add("%s", n.LoadText)
	case n.LoadWatts > 0:
		add("%s W", numeral.Text(n.LoadWatts))
	case n.LoadA > 0:
		add("%s A", numeral.Text(n.LoadA))
	}
	if n.WantedKWh > 0 {
		add("%s kWh wanted", numeral.Text(n.WantedKWh))
	}
	return strings.Join(parts, ", ")
}

func candidateSentence(cs []window.Candidate, advice []window.Advice) (string, string) {
	if len(cs) == 0 && len(advice) == 0 {
		return "No module in stock may be used now. Which series counts fit this device stands below.", "caution"
	}
	if len(cs) == 0 || cs[0].Refused {
		var parts []string
		for _, a := range advice {
			parts = append(parts, a.Text)
		}
		return "No way fits from the stock. " + strings.Join(parts, " "), "stop"
	}
	c := cs[0]
	if !c.Ah().Is() || c.Chemistry == "" {
		text := fmt.Sprintf("%s of %s in series, %d in parallel can be laid out and wired. ", numeral.Count(c.Series,
			"group"), c.Mix(),
			c.Parallel)
		return text + c.Open(), "caution"
	}
	text := fmt.Sprintf("Best fit: %s of %s in series, %d in parallel, %.1f kWh usable of %.1f.",
		numeral.Count(c.Series, "group"),
		c.Type, c.Parallel, c.UsableKWh, c.TotalKWh)
	if kWh := c.Usable(); c.Unsure() {
		taken := map[known.Source]string{known.Assumed: ", assumed"}[kWh.From()]
		text = fmt.Sprintf("Best fit: %s of %s in series, %d in parallel: %s usable, likely %.1f%s. Not "+
			"all of it is tested.", numeral.Count(c.Series, "group"), c.Mix(), c.Parallel, kWh.Text(1, "kWh"),
			kWh.V(), taken)
	}
	if !c.ReachesWanted {
		return text + " That is less than wanted.", "caution"
	}
	return text, "ready"
}

// sizeOf is what a bank holds, as an interval where modules were never tested.
func sizeOf(v bankView) string {
	c := v.Plan.Candidate
	if !v.Ah.Is() || c.Chemistry == "" {
		return fmt.Sprintf("%s. %s", numeral.Count(c.Series, "group"), strings.TrimSuffix(c.Open(), "."))
	}
	if len(v.Untested) > 0 {
		return fmt.Sprintf("%s, %s usable at %s%s", v.Ah.Text(0, "Ah"), v.KWh.Text(1, "kWh"), numeral.Count(c.Series,
			"group"),
			map[known.Source]string{known.Assumed: ", assumed of modules that nobody tested",
				known.Said: ", provisional: said of modules that nobody tested here"}[v.Ah.From()])
	}
	return fmt.Sprintf("%.1f Ah, %.2f kWh usable at %s", c.CapacityAh, c.UsableKWh, numeral.Count(c.Series, "group"))
}

// bankSentence is what the page of a designed bank opens with: what is wrong with it first.
func bankSentence(v bankView) (string, string) {
	b := v.Bank
	size := sizeOf(v)
	if k := slices.IndexFunc(v.Troubles, troubleView.Bad); k >= 0 {
		t := v.Troubles[k]
		if b.Station == station.Keep {
			return fmt.Sprintf("Take it out of service: %s %s.", t.Number, t.Text), "stop"
		}
		return fmt.Sprintf("Do not go on: %s %s. What could take its place is listed below.", t.Number, t.Text), "stop"
	}
	if b.Station == station.Keep && len(v.Commission.CallsBack()) > 0 {
		f := v.Commission.CallsBack()[0]
		return fmt.Sprintf("Take it out of service: %s %s", f.Text, f.Do), "stop"
	}
	if len(v.Wiring.Assumed) > 0 {
		return fmt.Sprintf("%s. %s never surveyed: look over and survey; the sense table and the build sheet follow "+
			"from the voltages.", size, finding.Was(v.Wiring.Assumed, "modules")), "ready"
	}
	if fs := finding.Standing(v.Wiring.Report.Findings); len(fs) > 0 && b.BMS != "" {
		return fs[0].Text + " " + fs[0].Do, "stop"
	}
	if len(v.Troubles) > 0 {
		t := v.Troubles[0]
		return fmt.Sprintf("%s %s: survey it again. %s.", t.Number, t.Text, size), "caution"
	}
	switch {
	case b.Station == station.Keep && v.Need.Beside != nil:
		return fmt.Sprintf("In service: %s. It is joined to %s: opening one means both are taken out of work.", size,
			v.Need.Beside.Name), "ok"
	case b.Station == station.Keep:
		return "In service: " + size + ".", "ok"
	case b.BMS == "" && v.NoneFits:
		return size + ". No BMS that is known fits. " + v.WantedBMS, "caution"
	case b.BMS == "":
		return size + ". Choose its BMS next: no bank is built without one.", "ready"
	case !v.Sheet:
		return size + ". Its BMS is refused for this bank now: choose another.", "stop"
	}
	if k := slices.IndexFunc(v.Sense, senseView.unlike); k >= 0 {
		return "Do not plug in: " + v.Sense[k].Check.Judged.Findings[0].Text, "stop"
	}
	if !v.SenseOK {
		return size + ". Build it in its order, then measure every sense lead, the top one against lead 0 " +
			"too, before any plug goes in.", "ready"
	}
	if open := finding.Standing(v.Commission.Open); len(open) > 0 {
		return fmt.Sprintf("%s. The sense leads read as expected. Not in service yet: %s", size, open[0].Text), "ready"
	}
	return size + ". Every gate on record is passed. A person decides whether it goes into service.", "ready"
}

// senseTables lists what each lead must read, with what was typed last.
func (sv *Room) senseTables(c *echo.Context, v *bankView, failed *frame.Form) error {
	checks, err := sv.Shop.Bank.SenseChecks(c.Request().Context(), v.Bank)
	if err != nil {
		return err
	}
	v.SenseOK = len(v.Wiring.Netlist.BMS) > 0 && len(finding.Standing(v.Wiring.Report.Findings)) == 0
	for _, b := range v.Wiring.Netlist.BMS {
		s := senseView{BMS: b.ID, Form: frame.Blank("sense", "bms", b.ID, "by", frame.Who(c), "instrument",
			"bench multimeter")}
		if failed != nil && failed.Kind == "sense" && failed.Get("bms") == b.ID {
			s.Form = failed
		}
		if k, ok := checks[b.ID]; ok {
			s.Check = &k
		}
		v.SenseOK = v.SenseOK && s.Check != nil && s.Check.Current && s.Check.Judged.Proven()
		for _, row := range v.Wiring.Report.SenseTable {
			if row.BMS != b.ID {
				continue
			}
			if row.ExpectedV == nil {
				s.Blind++
				continue
			}
			s.Top, s.TopV = row.Point, *row.ExpectedV
			s.Rows = append(s.Rows, s.row(row, failed == nil))
		}
		v.Sense = append(v.Sense, s)
	}
	return nil
}

// row is one lead; its field shows what was typed now, or where nothing failed, what was measured before.
func (s senseView) row(row wiring.SenseRow, before bool) senseRow {
	r := senseRow{Input: row.Input, Point: row.Point, Expected: *row.ExpectedV, Name: fmt.Sprintf("s%d", row.Input)}
	r.Value, r.Error = s.Form.Get(r.Name), s.Form.Bads[r.Name]
	if s.Check != nil && s.Check.Current {
		if r.Value == "" && before {
			r.Value = s.Check.Typed[row.Input]
		}
		r.Bad = slices.Contains(s.Check.Judged.Inputs, row.Input)
	}
	return r
}

func (sv *Room) saveNeed(c *echo.Context) error {
	id, err := frame.OptionalID(c)
	if err != nil {
		return err
	}
	return frame.Post(c, "need", func(f *frame.Form) (frame.Act, error) {
		in := bank.NeedInput{Version: f.Whole("version", 0), Name: f.Get("name"), Client: f.Get("client"),
			Token: f.Once()}
		in.Need = needOf(f)
		in.ID = id
		return func() (string, error) {
			b, err := sv.Shop.Bank.SaveNeed(c.Request().Context(), in)
			return frame.Made("/banks/", b.ID, "/station/design", err)
		}, nil
	}, func(code int, f *frame.Form) error {
		if id > 0 {
			return sv.showBank(c, code, id, f)
		}
		return sv.showNeeds(c, code, f)
	})
}

func (sv *Room) saveDesign(c *echo.Context) error {
	return sv.bankForm(c, "bank", "", func(id int64, f *frame.Form) func() error {
		in := bank.DesignInput{BankID: id, Version: f.Whole("version", 0), Style: match.Style(f.Get("style")),
			Key: f.Get("choice"), Allow: f.Values["allow"], Reason: f.Get("reason"), Token: f.Once()}
		if in.Key == "" {
			f.Bads[""] = "choose one of the ways listed"
		}
		return func() error {
			_, err := sv.Shop.Bank.DesignBank(c.Request().Context(), in)
			return err
		}
	})
}

func (sv *Room) undoDesign(c *echo.Context) error {
	return sv.bankForm(c, "bank", "", func(id int64, f *frame.Form) func() error {
		return func() error {
			return sv.Shop.Bank.UndoDesign(c.Request().Context(), id, f.Whole("version", 0), f.Once())
		}
	})
}

func (sv *Room) saveBMS(c *echo.Context) error {
	return sv.bankForm(c, "bank", "#bms", func(id int64, f *frame.Form) func() error {
		return func() error {
			return sv.Shop.Bank.ChooseBMS(c.Request().Context(), id, f.Whole("version", 0), f.Get("bms"), f.Once())
		}
	})
}

func (sv *Room) putInService(c *echo.Context) error {
	return sv.bankForm(c, "bank", "", func(id int64, f *frame.Form) func() error {
		return func() error {
			return sv.Shop.Procedure.PutInService(c.Request().Context(), id, f.Whole("version", 0),
				f.Get("confirm") != "", f.Once())
		}
	})
}

func (sv *Room) takeOutOfService(c *echo.Context) error {
	return sv.bankForm(c, "bank", "", func(id int64, f *frame.Form) func() error {
		return func() error {
			return sv.Shop.Procedure.TakeOutOfService(c.Request().Context(), id, f.Whole("version", 0),
				f.Get("reason"), f.Once())
		}
	})
}

func (sv *Room) answerFrost(c *echo.Context) error {
	return sv.bankForm(c, "bank", "#service", func(id int64, f *frame.Form) func() error {
		if f.Get("freezes") == "" {
			f.Bads["freezes"] = "expected the answer: can it freeze there, or never"
		}
		return func() error {
			return sv.Shop.Bank.AnswerFrost(c.Request().Context(), id, f.Whole("version", 0),
				f.Get("freezes") == "yes", f.Once())
		}
	})
}

func (sv *Room) replaceModule(c *echo.Context) error {
	return sv.bankForm(c, "bank", "", func(id int64, f *frame.Form) func() error {
		return func() error {
			return sv.Shop.Procedure.ReplaceModule(c.Request().Context(), id,
				procedure.Replacement{Version: f.Whole("version", 0), Out: f.Get("out"), In: f.Get("in"),
					Token: f.Once()})
		}
	})
}

// bankForm handles one of the forms of a bank's page; bind returns what is to be done. anchor is the part of the page
// that shows it done.
func (sv *Room) bankForm(c *echo.Context, name, anchor string, bind func(id int64, f *frame.Form) func() error) error {
	id, err := frame.IdParam(c)
	if err != nil {
		return err
	}
	return frame.Post(c, name, func(f *frame.Form) (frame.Act, error) {
		do := bind(id, f)
		return func() (string, error) { return fmt.Sprintf("/banks/%d%s", id, anchor), do() }, nil
	}, func(code int, f *frame.Form) error { return sv.showBank(c, code, id, f) })
}

func (sv *Room) saveParts(c *echo.Context) error {
	return sv.bankForm(c, "parts", "#parts", func(id int64, f *frame.Form) func() error {
		in := plan.Parts{FuseA: f.Opt("fuse_a", 0), FuseV: f.Opt("fuse_v", 0), FuseKA: f.Opt("fuse_ka", 0),
			CableA: f.Opt("cable_a", 0),
			BondA:  f.Opt("bond_a", 0), FuseMM: f.Opt("fuse_mm", 0), BondsFused: f.Get("bonds_fused") != "",
			PartAfter: f.Whole("part_after", 0), Ways: strings.TrimSpace(f.Get("ways"))}
		if _, err := ways.Read(in.Ways); err != nil {
			f.Bads["ways"] = err.Error()
		}
		return func() error {
			return sv.Shop.Bank.SaveParts(c.Request().Context(), id, f.Whole("version", 0), in, f.Once())
		}
	})
}

func (sv *Room) saveBankStep(c *echo.Context) error {
	return sv.bankForm(c, "step", "#service", func(id int64, f *frame.Form) func() error {
		in := f.Step()
		return func() error {
			_, err := sv.Shop.Procedure.RecordStep(c.Request().Context(), procedure.Bank, id, in)
			return err
		}
	})
}

func (sv *Room) saveSense(c *echo.Context) error {
	return sv.bankForm(c, "sense", "#sense", func(id int64, f *frame.Form) func() error {
		in := pages.SenseInput(id, f)
		return func() error {
			_, err := sv.Shop.Bank.RecordSense(c.Request().Context(), in)
			return err
		}
	})
}

// sheet is the printable page.
func (sv *Room) sheet(c *echo.Context, id int64) error {
	v, err := sv.bankPage(c, id, nil)
	if err != nil {
		return err
	}
	if v.Plan == nil {
		return kernel.Bad("", "%s is not designed yet, so there is no build sheet", v.Bank.Name)
	}
	if !v.Sheet {
		return kernel.Bad("", "%s has no BMS that may be used, so there is nothing to build by: choose one first",
			v.Bank.Name)
	}
	return sv.ShowAt(c, http.StatusOK, "sheet", "Build sheet "+v.Bank.Name, v.Bank.Station, v)
}

// banksPage is the banks at a station; at design with the stock and the form for a new need.
type banksPage struct {
	Answer  *needAnswer // of a need that is being typed
	Station station.Station
	Banks   []desk.BankRow
	Form    *frame.Form
	Stock   []stockView
}

type stockView struct {
	Type, Chemistry string
	Modules         int
	MeanAh          float64
	LeastAh         float64
}

func (sv *Room) banksAt(c *echo.Context, at station.Station) (v banksPage, err error) {
	all, err := sv.Shop.Desk.Banks(c.Request().Context())
	v.Station = at
	for _, b := range all {
		if b.Station == at {
			v.Banks = append(v.Banks, b)
		}
	}
	return v, err
}

// standing shows the banks at a station where they stand.
func (sv *Room) standing(at station.Station) echo.HandlerFunc {
	return func(c *echo.Context) error {
		v, err := sv.banksAt(c, at)
		if err != nil {
			return err
		}
		return sv.ShowAt(c, http.StatusOK, "banks", at.Name(), at, v)
	}
}
