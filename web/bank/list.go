package bank

import (
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/draw"
	"pandrel/shop/kernel"
	"pandrel/web/frame"
)

// Kinds of banks in the one list of them.
const (
	builtHere = "built here"
	stands    = "standing"
	wholePack = "whole pack"
)

// listed is a bank in the one list, whatever its kind.
type listed struct {
	Kind, Name, Whose, State, Href string
	Since                          time.Time
}

type listView struct {
	Rows  []listed
	Kinds []string
	Only  string // the kind that is shown alone, "" for all
	Count map[string]int
}

// all lists every bank there is: those built here, those that stand, and whole packs.
func (sv *Room) all(c *echo.Context) error {
	ctx := c.Request().Context()
	v := listView{Kinds: []string{builtHere, stands, wholePack}, Only: frame.Clip(frame.Query(c, "kind"), 20),
		Count: map[string]int{}}
	add := func(r listed) {
		v.Count[r.Kind]++
		if v.Only == "" || v.Only == r.Kind {
			v.Rows = append(v.Rows, r)
		}
	}
	banks, err := sv.Shop.Desk.Banks(ctx)
	if err != nil {
		return err
	}
	for _, b := range banks {
		state := b.Station.Name()
		if b.Station == station.Keep {
			state = "in service"
		}
		add(listed{builtHere, b.Name, b.Client, state, fmt.Sprintf("/banks/%d", b.ID), b.StationSince})
	}
	standing, err := sv.Shop.Procedure.StandingBanks(ctx)
	if err != nil {
		return err
	}
	for _, s := range standing {
		add(listed{stands, s.Name, s.Owner, "built by somebody else", fmt.Sprintf("/services/%d", s.ID), s.CreatedAt})
	}
	packs, err := sv.Shop.Procedure.Packs(ctx)
	if err != nil {
		return err
	}
	for _, p := range packs {
		add(listed{wholePack, p.Name, "", p.Note, fmt.Sprintf("/packs/%d", p.ID), p.CreatedAt})
	}
	return sv.ShowAt(c, http.StatusOK, "allbanks", "Banks", station.Keep, v)
}

// picture is the drawing of a bank alone, for pages that show it after the rest.
func (sv *Room) picture(c *echo.Context, id int64) error {
	ctx := c.Request().Context()
	b, n, d, err := sv.Shop.Bank.ByID(ctx, id)
	if err != nil {
		return err
	}
	if d == nil {
		return kernel.Missing("drawing of bank %d", id)
	}
	w, err := sv.Shop.Bank.PlanWiring(ctx, b, n, *d)
	if err != nil {
		return err
	}
	return c.HTML(http.StatusOK, draw.BankOf("Bank "+b.Name, *d, w).SVG())
}
