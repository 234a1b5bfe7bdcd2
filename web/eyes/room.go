// Package eyes follows the bench meter for a page whose reader has both hands at the probes: what it shows, when a
// reading stands still, and when it was taken.
package eyes

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/figure"
	"pandrel/core/base/numeral"
	"pandrel/core/bench/steady"
	"pandrel/instrument"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/web/door"
	"pandrel/web/frame"
)

// Room is this stream, with the rooms it asks.
type Room struct{ *frame.Frame }

// Routes adds it.
func (sv *Room) Routes(e *echo.Echo) {
	e.GET("/meter/events", sv.watch)
}

// States of a stream beside those of a watch.
const (
	stateTrouble   = "trouble"   // why nothing can be read
	stateElsewhere = "elsewhere" // it was taken for another reading
)

// told is what a page hears: what the meter shows as it would be typed, and what the probes seem to do.
type told struct {
	State string `json:"state"`
	Shows string `json:"shows,omitempty"`
	Says  string `json:"says,omitempty"`
	Same  bool   `json:"same,omitempty"` // it was taken, and agrees with what was read before
}

// target is what one stream is to read.
type target struct {
	spot  instrument.Spot
	span  steady.Span
	typed func(volts float64) string // as it stands in its field
	again *float64                   // what these points read before, nil where they were not read
	inAir string                     // what must be shown with the probes in the air
}

var errClosing = errors.New("the workshop is being closed")

func asVolts(v float64) string { return string(figure.Dec(v, 3)) }
func asMilli(v float64) string { return string(figure.Dec(v*1000, 2)) }

// watch tells a page what the meter shows until a reading was taken.
func (sv *Room) watch(c *echo.Context) error {
	if c.Request().Header.Get("Sec-Fetch-Site") == "cross-site" {
		return c.NoContent(http.StatusForbidden) // the meter is this workshop's
	}
	ctx := c.Request().Context()
	to, err := sv.target(c)
	if err != nil && !kernel.Told(err) {
		return err
	}
	tell := door.Events(c.Response())
	say := func(t told) error {
		data, err := json.Marshal(t)
		if err != nil {
			return err
		}
		return tell(data)
	}
	if err == nil {
		err = sv.Shop.Measure.WatchMeter(ctx, to.spot, to.span, func(s steady.State, v float64) error {
			select {
			case <-door.Ending(ctx):
				return errClosing
			default:
			}
			if math.IsInf(v, 0) {
				return say(told{State: string(s)})
			}
			if s == steady.Lift {
				return say(told{State: string(s), Shows: to.typed(v), Says: to.inAir})
			}
			same := s == steady.Taken && to.again != nil && to.span.Same(v, *to.again)
			return say(told{State: string(s), Shows: to.typed(v), Same: same})
		})
	}
	switch {
	case err == nil, ctx.Err() != nil: // taken, or nobody listens any more
	case errors.Is(err, measure.ErrElsewhere):
		_ = say(told{State: stateElsewhere, Says: "The meter was taken for another reading."})
	default:
		_ = say(told{State: stateTrouble, Says: err.Error()})
	}
	return nil
}

// target reads from the address what the probes are to touch: two points of a module, a lead of a bank's BMS, or a
// joint.
func (sv *Room) target(c *echo.Context) (t target, err error) {
	ctx := c.Request().Context()
	q := func(name string) string { return frame.Query(c, name) }
	switch {
	case q("joint") != "":
		n, err := strconv.Atoi(q("joint"))
		if err != nil || n < 1 {
			return t, kernel.Bad("", "joint %.20q: expected its number", q("joint"))
		}
		return target{spot: instrument.Spot{Joint: n}, span: steady.Joint, typed: asMilli,
			inAir: fmt.Sprintf("It must fall below %s mV in the air.", asMilli(steady.Joint.Air))}, nil
	case q("bank") != "":
		id, err := strconv.ParseInt(q("bank"), 10, 64)
		if err != nil {
			return t, kernel.Bad("", "bank %.20q: expected its number", q("bank"))
		}
		expected, err := sv.Shop.Procedure.Expected(ctx, id, q("bms"))
		if err != nil {
			return t, err
		}
		shows, err := lead(expected, q("lead"))
		return ofVolts(c, instrument.Spot{Shows: &shows}), err
	}
	at, err := sv.Shop.Measure.PointsOf(ctx, q("module"), q("red"), q("black"))
	return ofVolts(c, at), err
}

func ofVolts(c *echo.Context, at instrument.Spot) target {
	return target{at, steady.Volts, asVolts, before(c),
		fmt.Sprintf("It must fall below %.1f V in the air, as with an input of 10 MΩ it does.", steady.Volts.Air)}
}

// before is what the same points read before, as it stands in its field; nil where that is no number.
func before(c *echo.Context) *float64 {
	n, err := numeral.Parse(frame.Query(c, "before"))
	if err != nil {
		return nil
	}
	return &n.Value
}

// lead is what a lead must read, which is what a simulated meter shows; top is the top lead against lead 0.
func lead(expected []float64, which string) (float64, error) {
	if which == "top" {
		return expected[bank.TopLead(expected)], nil
	}
	k, err := strconv.Atoi(which)
	if err != nil || k < 0 || k >= len(expected) || math.IsNaN(expected[k]) {
		return 0, kernel.Bad("", "lead %.20q: expected one of this BMS", which)
	}
	return expected[k], nil
}
