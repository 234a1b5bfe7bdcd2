package receive

import (
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/window"
	"pandrel/core/base/numeral"
	"pandrel/shop/start"
	"pandrel/shop/types"
	"pandrel/store"
	"pandrel/web/frame"
)

// startView is the beginning of a job: what somebody has. What is modules, cells or "" for the choice.
type startView struct {
	What    string
	Types   []store.ModuleType
	Form    *frame.Form
	Classes []int
	Typed   bool // a known type is chosen, so that nothing of a new one is asked
}

// what somebody may have that one form takes.
const (
	whatModules = "modules"
	whatCells   = "cells"
)

func (sv *Room) start(c *echo.Context) error {
	f := frame.Blank("start", "by", frame.Who(c), "count", "", "series", "", "type", frame.Query(c, "type"))
	what := frame.Query(c, "what")
	if what == whatCells {
		f.Values.Set("series", "1")
		f.Values.Set("name", "")
	}
	return sv.showStart(c, http.StatusOK, what, f)
}

func (sv *Room) showStart(c *echo.Context, code int, what string, f *frame.Form) error {
	v := startView{Form: f, Classes: window.Classes()}
	if what == whatModules || what == whatCells {
		v.What = what
	}
	all, err := sv.Shop.Desk.Types(c.Request().Context())
	if err != nil {
		return err
	}
	for _, t := range all {
		if t.LayoutID != nil && (v.What == whatCells) == (t.PlateSeries == 1) {
			v.Types = append(v.Types, t)
		}
	}
	v.Typed = f.Get("type") != "" && f.Get("type") != "new"
	title := map[string]string{"": "What have you got?", whatModules: "Some modules", whatCells: "Loose cells"}[v.What]
	return sv.ShowAt(c, code, "start", title, "", v)
}

// begin makes type, modules and need in one press, and goes where the answer is: the ways to build the bank, or the
// modules.
func (sv *Room) begin(c *echo.Context) error {
	what := frame.Query(c, "what")
	return frame.Post(c, "start", func(f *frame.Form) (frame.Act, error) {
		ah, wh := f.Rating("plate_ah")
		in := start.Input{Count: f.Whole("count", 0), First: f.Get("first"), PlateAh: ah,
			Class: f.Whole("class", 0), Groups: f.Whole("groups", 0),
			KWh: f.Opt("kwh", 0), For: f.Get("for"), From: f.Get("from"),
			Papers: f.Get("said") == "new", SaidPct: saidPct(f), About: f.Get("said") == "67" || f.Get("said") == "50",
			Joined: f.Whole("joined", 1), Token: f.Once(), Stem: map[bool]string{true: "C",
				false: "M"}[what == whatCells]}
		if id, err := strconv.ParseInt(f.Get("type"), 10, 64); err == nil && id > 0 {
			if in.TypeID = id; wh > 0 {
				f.Bads["plate_ah"] = "expected amp hours of a known type: its own label says the rest"
			}
		} else {
			in.New = types.NewInput{Name: strings.TrimSpace(f.Get("name")), Chemistry: f.Get("chemistry"),
				RatedAh: ah, RatedWh: wh, Series: f.Whole("series", 0), Posts: f.Whole("posts", 2),
				Total: f.Maybe("total_v"), Middle: f.Maybe("middle_v")}
			switch f.Get("taps") {
			case "all":
				in.New.Pins = in.New.Series + 1
			case "between":
				in.New.Pins = in.New.Series - 1
			case "doubled":
				in.New.Pins = in.New.Series + 3
			case "closed":
				in.New.Closed = true
			case "rest":
				in.New.Pins = in.New.Series + 1 - in.New.Posts
			case "two":
				in.New.Pins = in.New.Series + 2
			case "joints":
				in.New.Posts = in.New.Series + 1
			}
			if in.New.Name == "" && in.New.Series > 0 {
				in.New.Name = usual(what, in.New, f)
				if in.Joined > 1 {
					in.New.Name += fmt.Sprintf(", %d joined", in.Joined)
				}
			}
			in.PlateAh = 0 // it is the type's
		}
		in.LoadW, in.LoadA = loadOf(f)
		in.Load = numeral.LoadTyped(f.Get("load_w"))
		return func() (string, error) {
			made, err := sv.Shop.Start.Begin(c.Request().Context(), in)
			if made.Bank.ID > 0 {
				return fmt.Sprintf("/banks/%d", made.Bank.ID), err
			}
			return frame.Made("/lots/", made.Lot.ID, "/", err)
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showStart(c, code, what, f) })
}

// loadOf reads a load in watts or in amps.
func loadOf(f *frame.Form) (watts, amps float64) {
	watts, amps, err := numeral.Load(f.Get("load_w"))
	if err != nil {
		f.Bads["load_w"] = err.Error()
	}
	return watts, amps
}

// saidPct is what somebody said they hold, in per cent of rated: one of the usual words, or a number.
func saidPct(f *frame.Form) float64 {
	if f.Get("said") == "new" {
		if f.Get("said_pct") != "" {
			f.Bads["said_pct"] = "expected nothing for new ones: their papers say it"
		}
		return 0
	}
	pct, err := strconv.ParseFloat(f.Get("said"), 64)
	if err != nil {
		pct = 0
	}
	return f.Opt("said_pct", pct)
}

// usual is a name for a type that was given none.
func usual(what string, n types.NewInput, f *frame.Form) string {
	name := strings.ToUpper(n.Chemistry)
	if name == "" {
		name = "?"
	}
	if what == whatCells {
		name += " cell"
	} else {
		name += fmt.Sprintf(" %dS", n.Series)
	}
	if ah := strings.TrimSpace(f.Get("plate_ah")); ah != "" {
		if name += " " + frame.Clip(ah, 12); !strings.HasSuffix(strings.ToLower(ah), "h") {
			name += " Ah"
		}
	}
	return name
}
