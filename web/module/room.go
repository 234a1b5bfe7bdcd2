// Package module is a module's own page, with what can be done to it there.
package module

import (
	"github.com/labstack/echo/v5"

	"pandrel/web/frame"
	"pandrel/web/measure"
	"pandrel/web/sketch"
)

// Room is these pages, with the rooms they ask.
type Room struct {
	*frame.Frame
	Sketch  *sketch.Room
	Measure *measure.Room
}

// Routes adds the pages of this room.
func (sv *Room) Routes(e *echo.Echo) {
	e.GET("/pictures/:id", frame.ByID(sv.picture))
	e.GET("/modules/:number", sv.module)
	e.GET("/modules/:number/datasheet", sv.dataSheet)
	e.GET("/modules/:number/type", sv.toType)
	e.POST("/modules/:number/pictures", sv.addPicture)
	e.POST("/modules/:number/grade", sv.saveGrade)
	e.POST("/modules/:number/withdraw", sv.withdraw)
	e.POST("/modules/:number/strike", sv.strike)
	e.POST("/modules/:number/delete", sv.remove)
	e.POST("/modules/:number/history", sv.saveHistory)
	e.POST("/modules/:number/plate", sv.savePlate)
}
