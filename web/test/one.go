package test

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"pandrel/core/test/kind"
	"pandrel/shop/kernel"
	"pandrel/store"
	"pandrel/web/frame"
)

// one is the page of a test, by what made it.
func (sv *Room) one(c *echo.Context, id int64) error {
	t, err := sv.Shop.Tests.ByID(c.Request().Context(), id)
	if err != nil {
		return err
	}
	switch t.Source {
	case kind.Cycler:
		return sv.showRun(c, http.StatusOK, id, nil)
	case kind.ByHand:
		return sv.showHandTest(c, http.StatusOK, id, nil, nil)
	case kind.Log:
		return sv.logPage(c, id)
	}
	to, err := sv.home(c, t)
	if err != nil {
		return err
	}
	return c.Redirect(http.StatusSeeOther, to)
}

// home is the page of what was tested.
func (sv *Room) home(c *echo.Context, t store.Test) (string, error) {
	if t.ModuleID == 0 {
		return fmt.Sprintf("/banks/%d#tests", t.SubjectID), nil
	}
	number, err := sv.Shop.Tests.NumberOf(c.Request().Context(), t)
	return frame.ModulePath(number) + "#tests", err
}

// control moves a test on that goes on, by what made it.
func (sv *Room) control(c *echo.Context, id int64) error {
	t, err := sv.Shop.Tests.ByID(c.Request().Context(), id)
	if err != nil {
		return err
	}
	if t.Source == kind.ByHand {
		return sv.moveHandTest(c, id)
	}
	return sv.controlRun(c, id)
}

// parts of a test that had addresses of their own, as they are called now.
var printedParts = map[string]string{"": "", "samples": "/samples", "part": "/part", "original": "/original",
	"log": "/so-far"}

// printed leads from an address as it was printed to that of the test.
func (sv *Room) printed(was string) func(c *echo.Context, id int64) error {
	return func(c *echo.Context, id int64) error {
		t, err := sv.Shop.Tests.Printed(c.Request().Context(), was, id)
		part, ok := printedParts[c.Param("what")]
		switch {
		case err != nil:
			return err
		case !ok:
			return kernel.Missing("page")
		}
		to := fmt.Sprintf("/tests/%d%s", t.ID, part)
		if q := frame.QueryAll(c).Encode(); q != "" {
			to += "?" + q
		}
		return c.Redirect(http.StatusMovedPermanently, to)
	}
}
