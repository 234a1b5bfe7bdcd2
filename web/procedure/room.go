// Package procedure is the pages of work in steps with gates: packs and standing banks.
package procedure

import (
	"github.com/labstack/echo/v5"

	"pandrel/web/frame"
)

// Room is these pages, with the rooms they ask.
type Room struct {
	*frame.Frame
}

// Routes adds the pages of this room.
func (sv *Room) Routes(e *echo.Echo) {
	e.GET("/packs", sv.packs)
	e.POST("/packs", sv.savePack)
	e.GET("/packs/:id", frame.ByID(sv.pack))
	e.POST("/packs/:id/step", frame.ByID(sv.savePackStep))
	e.POST("/packs/:id/modules", frame.ByID(sv.takeModules))
	e.GET("/modules/:number/people", sv.people)
	e.POST("/modules/:number/people", sv.savePeople)
	e.GET("/records/:row", sv.strike)
	e.POST("/records/:row", sv.saveStrike)
	e.GET("/services", sv.services)
	e.POST("/services", sv.saveService)
	e.GET("/services/:id", frame.ByID(sv.service))
	e.POST("/services/:id/step", frame.ByID(sv.saveServiceStep))
	e.POST("/services/:id/gates", frame.ByID(sv.saveServiceGates))
	e.POST("/services/:id/survey", frame.ByID(sv.saveStandingSurvey))
	e.POST("/services/:id/test", frame.ByID(sv.saveStandingTest))
	e.POST("/services/:id/cells", frame.ByID(sv.saveCells))
	e.POST("/services/:id/extend", frame.ByID(sv.extend))
}
