package procedure

import (
	"cmp"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/pack"
	"pandrel/draw"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/working"
	"pandrel/store"
	"pandrel/web/choice"
	"pandrel/web/frame"
)

type packsView struct {
	Packs []store.Bank
	Lots  []choice.Of
	Form  *frame.Form
}

func (sv *Room) packs(c *echo.Context) error {
	return sv.showPacks(c, http.StatusOK, frame.Blank("pack", "by", frame.Who(c)))
}

func (sv *Room) showPacks(c *echo.Context, code int, f *frame.Form) error {
	ctx := c.Request().Context()
	ps, err := sv.Shop.Procedure.OfOrigin(ctx, store.Whole)
	if err != nil {
		return err
	}
	lots, err := sv.Shop.Desk.Lots(ctx)
	if err != nil {
		return err
	}
	v := packsView{Packs: ps, Form: f}
	for _, l := range lots {
		v.Lots = append(v.Lots, choice.Of{Value: fmt.Sprint(l.ID), Text: l.Supplier + ", " + l.ArrivedOn})
	}
	return sv.ShowAt(c, code, "packs", "Packs", station.Receive, v)
}

// list reads numbers separated by blanks or lines; a decimal comma is a decimal comma. A form n × v
// stands for n times v.
func list(f *frame.Form, name string) []float64 {
	var out []float64
	fields := strings.FieldsFunc(f.Get(name), func(r rune) bool {
		return r == ' ' || r == '\n' || r == '\r' || r == ';' || r == '\t'
	})
	for i, s := range fields {
		times := 1
		if n, v, ok := strings.Cut(s, "×"); ok {
			k, err := strconv.Atoi(n)
			if err != nil || k < 1 || k > 200 {
				f.Bads[name] = fmt.Sprintf("value %d, %q: expected such as 12×25,9", i+1, frame.Clip(s, 20))
				return nil
			}
			times, s = k, v
		}
		x, err := numeral.Parse(s)
		if err != nil {
			f.Bads[name] = fmt.Sprintf("value %d: %v", i+1, err)
			return nil
		}
		for range times {
			out = append(out, x.Value)
		}
	}
	return out
}

func (sv *Room) savePack(c *echo.Context) error {
	return frame.Post(c, "pack", func(f *frame.Form) (frame.Act, error) {
		in := procedure.PackInput{Name: f.Get("name"), LotID: int64(f.Whole("lot", 0)), Note: f.Get("note"),
			Token: f.Once(), Pack: pack.Pack{Volts: list(f, "volts"),
				DisconnectAfter: f.Whole("disconnect", 0), WetPlace: f.Get("wet") != ""}}
		for _, x := range list(f, "fixed") {
			in.Pack.Fixed = append(in.Pack.Fixed, int(x))
		}
		return func() (string, error) {
			p, err := sv.Shop.Procedure.SavePack(c.Request().Context(), in)
			return frame.Made("/banks/", p.ID, "/banks/packs", err)
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showPacks(c, code, f)
	})
}

// packView is one pack: plan, picture, steps.
type packView struct {
	procedure.PackView
	Picture   string
	Worked    []frame.Worked
	Judgement string
	Level     string
	Form      *frame.Form
	Next      *gates.State // the step whose form is shown, nil when all is done
	Open      string       // its key
	Side      *frame.Form  // the reading that tells where the disconnect sits
	Located   string
	Types     []store.ModuleType
	Take      *frame.Form // its modules, once it is split
}

// Pack is the page of a pack on its way apart.
func (sv *Room) Pack(c *echo.Context, id int64) error {
	return sv.showPack(c, http.StatusOK, id, frame.Blank("step", "by", frame.Who(c)), nil)
}

func (sv *Room) showPack(c *echo.Context, code int, id int64, f, take *frame.Form) error {
	pv, err := sv.Shop.Procedure.PackByID(c.Request().Context(), id)
	if err != nil {
		return err
	}
	v := packView{PackView: pv, Form: f}
	if v.Worked, err = sv.WorkedAt(c.Request().Context(), working.From{Kind: "bank", ID: id}); err != nil {
		return err
	}
	lifted := map[int]bool{}
	for _, st := range pv.States {
		if at := pack.LiftAfter(st.Key); at > 0 && st.Done {
			lifted[at] = true
		}
	}
	if v.Next = gates.Next(pv.States, cmp.Or(frame.Query(c, "step"), f.Get("step"))); v.Next != nil {
		v.Open = v.Next.Key
	}
	if len(pv.Places) > 0 {
		v.Side = &frame.Form{Kind: "side", Values: frame.QueryAll(c), Bads: map[string]string{}}
		if v.Side.Get("side_v") != "" {
			if volts := v.Side.Num("side_v"); !v.Side.Bad() {
				got, err := sv.Shop.Procedure.LocateDisconnect(c.Request().Context(), id, volts)
				if err != nil {
					if err := v.Side.Take(err); err != nil {
						return err
					}
				}
				v.Located = locatedText(volts, got)
			}
		}
	}
	if v.Open == "" {
		if v.Types, err = sv.Shop.Desk.Types(c.Request().Context()); err != nil {
			return err
		}
		if v.Take = take; take == nil {
			v.Take = frame.Blank("take", "by", frame.Who(c), "count", strconv.Itoa(len(pv.Volts)))
		}
	}
	v.Picture = draw.Pack("Pack "+pv.Pack.Name, pv.Volts, pv.Plan, lifted)
	v.Judgement, v.Level = packSentence(v)
	return sv.ShowAt(c, code, "pack", "Pack "+pv.Pack.Name, station.Receive, v)
}

// locatedText says where a reading puts the disconnect.
func locatedText(volts float64, places []pack.Place) string {
	switch len(places) {
	case 0:
		return fmt.Sprintf("%.1f V fits no bridge: another one is open, the disconnect sits at an end, or the list "+
			"of modules is wrong. Do not lift anything.", volts)
	case 1:
		return fmt.Sprintf("%.1f V: the disconnect sits after module %d. Write the pack down again with it: the "+
			"plan gets shorter.", volts, places[0].After)
	}
	var at []string
	for _, p := range places {
		at = append(at, strconv.Itoa(p.After))
	}
	return fmt.Sprintf("%.1f V: after module %s. Measure from the main positive too.", volts, strings.Join(at, " or "))
}

func packSentence(v packView) (string, string) {
	for _, st := range v.States {
		if st.Failed {
			return fmt.Sprintf("Stop: '%s' did not pass.", st.Title), "stop"
		}
	}
	if v.Open == "" {
		return "Split: every step is recorded. Give its modules their numbers below.", "ok"
	}
	if v.Plan.WholeVolts <= v.Plan.LimitVolts {
		return fmt.Sprintf("%.1f V: below %.0f V, nothing needs to be lifted for the voltage.", v.Plan.WholeVolts,
			v.Plan.LimitVolts), "ready"
	}
	if !v.Plan.Reached {
		return v.Plan.Findings[len(v.Plan.Findings)-1].Text, "stop"
	}
	lifts := fmt.Sprintf("%s bring", numeral.Count(len(v.Plan.Lifts), "lift"))
	if len(v.Plan.Lifts) == 1 {
		lifts = "One lift brings"
	}
	return fmt.Sprintf("%.1f V. %s every piece to %.1f V or less.", v.Plan.WholeVolts, lifts,
		v.Plan.Lifts[len(v.Plan.Lifts)-1].LargestVolts), "stop"
}

func (sv *Room) savePackStep(c *echo.Context, id int64) error {
	return frame.Post(c, "step", func(f *frame.Form) (frame.Act, error) {
		in := f.Step()
		return func() (string, error) {
			_, err := sv.Shop.Procedure.RecordStep(c.Request().Context(), procedure.Pack, id, in)
			return fmt.Sprintf("/banks/%d", id), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showPack(c, code, id, f, nil)
	})
}

// takeModules receives what was taken out of a split pack, into the pack's lot.
func (sv *Room) takeModules(c *echo.Context, id int64) error {
	return frame.Post(c, "take", func(f *frame.Form) (frame.Act, error) {
		in := receive.ModulesInput{TypeID: int64(f.Whole("type", 0)), First: f.Get("first"),
			Count: f.Whole("count", 1), History: f.Get("history"), Token: f.Once()}
		return func() (string, error) {
			lot, err := sv.Shop.Procedure.ReceiveFromPack(c.Request().Context(), id, in)
			return fmt.Sprintf("/lots/%d", lot), err
		}, nil
	}, func(code int, f *frame.Form) error {
		return sv.showPack(c, code, id, frame.Blank("step", "by", frame.Who(c)), f)
	})
}
