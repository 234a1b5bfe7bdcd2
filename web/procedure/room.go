// Package procedure is the pages of work in steps with gates: packs and standing banks.
package procedure

import (
	"fmt"
	"net/http"

	"github.com/labstack/echo/v5"

	"pandrel/web/frame"
)

// Room is these pages, with the rooms they ask.
type Room struct {
	*frame.Frame
}

// Routes adds the pages of this room.
func (sv *Room) Routes(e *echo.Echo) {
	e.GET("/banks/packs", sv.packs)
	e.POST("/banks/packs", sv.savePack)
	e.POST("/banks/:id/split", frame.ByID(sv.savePackStep))
	e.POST("/banks/:id/modules", frame.ByID(sv.takeModules))
	e.GET("/modules/:number/people", sv.people)
	e.POST("/modules/:number/people", sv.savePeople)
	e.GET("/modules/:number/regroup", sv.regroup)
	e.POST("/modules/:number/regroup", sv.saveRegroup)
	e.GET("/records/:row", sv.strike)
	e.POST("/records/:row", sv.saveStrike)
	e.GET("/banks/standing", sv.services)
	e.POST("/banks/standing", sv.saveService)
	e.POST("/banks/:id/sense/try", frame.ByID(sv.trySense))
	e.GET("/banks/:id/open", frame.ByID(sv.Stands))
	e.POST("/banks/:id/open/step", frame.ByID(sv.saveServiceStep))
	e.POST("/banks/:id/open/gates", frame.ByID(sv.saveServiceGates))
	e.POST("/banks/:id/survey", frame.ByID(sv.saveStandingSurvey))
	e.POST("/banks/:id/cells", frame.ByID(sv.saveCells))
	e.POST("/banks/:id/join", frame.ByID(sv.join))
	e.POST("/banks/:id/extend", frame.ByID(sv.extend))
	for _, was := range []string{"services", "packs"} { // addresses as they were printed
		list := map[string]string{"services": "/banks/standing", "packs": "/banks/packs"}[was]
		e.GET("/"+was, func(c *echo.Context) error { return c.Redirect(http.StatusMovedPermanently, list) })
		e.GET("/"+was+"/:id", frame.ByID(func(c *echo.Context, id int64) error {
			b, err := sv.Shop.Procedure.Printed(c.Request().Context(), was, id)
			if err != nil {
				return err
			}
			return c.Redirect(http.StatusMovedPermanently, fmt.Sprintf("/banks/%d", b.ID))
		}))
	}
}
