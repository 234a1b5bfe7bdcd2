// Package bank is the pages of banks: needs, designs, wiring, sense leads, the gates into service, the build sheet.
package bank

import (
	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/web/frame"
	"pandrel/web/procedure"
)

// Room is these pages, with the rooms they ask.
type Room struct {
	*frame.Frame
	Procedure *procedure.Room
}

// Routes adds the pages of this room.
func (sv *Room) Routes(e *echo.Echo) {
	e.GET("/station/design", sv.needs)
	e.GET("/station/wire", sv.standing(station.Wire))
	e.GET("/station/keep", sv.standing(station.Keep))
	e.GET("/banks", sv.all)
	e.GET("/bms", sv.devices)
	e.POST("/bms", sv.saveDevice)
	e.GET("/bms/:id", frame.ByID(sv.device))
	e.POST("/bms/:id", sv.saveDevice)
	e.POST("/banks/:id/test", frame.ByID(sv.byOrigin(sv.saveBankTest, sv.Procedure.SaveTest)))
	e.GET("/banks/:id", frame.ByID(sv.one))
	e.POST("/banks", sv.saveNeed)
	e.POST("/banks/:id", sv.saveNeed)
	e.POST("/banks/:id/design", sv.saveDesign)
	e.POST("/banks/:id/undo", sv.undoDesign)
	e.POST("/banks/:id/delete", frame.ByID(sv.deleteBank))
	e.POST("/banks/:id/bms", frame.ByID(sv.byOrigin(sv.saveBMS, sv.Procedure.FitBMS)))
	e.POST("/banks/:id/sense", frame.ByID(sv.byOrigin(sv.saveSense, sv.Procedure.SaveSense)))
	e.POST("/banks/:id/parts", sv.saveParts)
	e.POST("/banks/:id/step", sv.saveBankStep)
	e.POST("/banks/:id/service", sv.putInService)
	e.POST("/banks/:id/frost", sv.answerFrost)
	e.POST("/banks/:id/out", sv.takeOutOfService)
	e.POST("/banks/:id/replace", sv.replaceModule)
	e.GET("/banks/:id/picture", frame.ByID(sv.picture))
	e.GET("/banks/:id/plan", frame.ByID(sv.plan))
	e.GET("/banks/:id/build", frame.ByID(sv.build))
	e.POST("/banks/:id/build", frame.ByID(sv.signStep))
	e.GET("/banks/:id/sheet", frame.ByID(sv.sheet))
}
