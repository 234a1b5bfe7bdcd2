package bank

import (
	"fmt"
	"net/http"
	"time"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/draw"
	"pandrel/shop/kernel"
	"pandrel/store"
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
	standing, err := sv.Shop.Procedure.OfOrigin(ctx, store.Stands)
	if err != nil {
		return err
	}
	for _, s := range standing {
		add(listed{stands, s.Name, s.Client, "built by somebody else", fmt.Sprintf("/banks/%d", s.ID), s.CreatedAt})
	}
	packs, err := sv.Shop.Procedure.OfOrigin(ctx, store.Whole)
	if err != nil {
		return err
	}
	for _, p := range packs {
		add(listed{wholePack, p.Name, "", p.Note, fmt.Sprintf("/banks/%d", p.ID), p.CreatedAt})
	}
	return sv.ShowAt(c, http.StatusOK, "allbanks", "Banks", station.Keep, v)
}

// one is the page of a bank, by its origin.
func (sv *Room) one(c *echo.Context, id int64) error {
	b, err := sv.Shop.Procedure.ByID(c.Request().Context(), id)
	switch {
	case err != nil:
		return err
	case b.Origin == store.Stands:
		return sv.Procedure.Stands(c, id)
	case b.Origin == store.Whole:
		return sv.Procedure.Pack(c, id)
	}
	return sv.bank(c, id)
}

// byOrigin handles a form that banks of either origin have: built is for one that is built here, stands for others.
func (sv *Room) byOrigin(built echo.HandlerFunc, stands func(c *echo.Context, id int64) error) func(c *echo.Context,
	id int64) error {
	return func(c *echo.Context, id int64) error {
		b, err := sv.Shop.Procedure.ByID(c.Request().Context(), id)
		switch {
		case err != nil:
			return err
		case b.Origin == store.Built:
			return built(c)
		}
		return stands(c, id)
	}
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
