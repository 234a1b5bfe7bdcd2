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
	e.GET("/packs/:id", sv.pack)
	e.POST("/packs/:id/step", sv.savePackStep)
	e.POST("/packs/:id/modules", sv.takeModules)
	e.GET("/services", sv.services)
	e.POST("/services", sv.saveService)
	e.GET("/services/:id", sv.service)
	e.POST("/services/:id/step", sv.saveServiceStep)
}
