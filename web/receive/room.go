// Package receive is the pages of lots: receiving, labels, looking modules over, and tables that are brought in.
package receive

import (
	"github.com/labstack/echo/v5"

	"pandrel/web/frame"
	"pandrel/web/sketch"
)

// Room is these pages, with the rooms they ask.
type Room struct {
	*frame.Frame
	Sketch *sketch.Room
}

// Routes adds the pages of this room.
func (sv *Room) Routes(e *echo.Echo) {
	e.GET("/station/receive", sv.lots)
	e.POST("/lots", sv.saveLot)
	e.GET("/lots/:id", frame.ByID(sv.lot))
	e.POST("/lots/:id", sv.saveLot)
	e.POST("/lots/:id/modules", frame.ByID(sv.addModules))
	e.GET("/lots/:id/labels", frame.ByID(sv.labels))
	e.GET("/m/:number", sv.scanned)
	e.GET("/import", sv.importPage)
	e.POST("/import", sv.saveImport)
	e.GET("/lots/:id/export", frame.ByID(sv.exportLot))
	e.GET("/modules/:number/inspect", sv.inspect)
	e.POST("/modules/:number/inspect", sv.saveInspection)
}
