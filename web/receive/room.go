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
	e.GET("/start", sv.start)
	e.POST("/start", sv.begin)
	e.GET("/station/receive", sv.lots)
	e.POST("/lots", sv.saveLot)
	e.GET("/lots/:id", frame.ByID(sv.lot))
	e.POST("/lots/:id", sv.saveLot)
	e.POST("/lots/:id/delete", frame.ByID(sv.deleteLot))
	e.POST("/lots/:id/modules", frame.ByID(sv.addModules))
	e.GET("/lots/:id/look", frame.ByID(sv.lotLook))
	e.POST("/lots/:id/look", frame.ByID(sv.saveLotLook))
	e.GET("/lots/:id/check", frame.ByID(sv.lotCheck))
	e.POST("/lots/:id/check", frame.ByID(sv.saveLotCheck))
	e.GET("/lots/:id/survey", frame.ByID(sv.lotSurvey))
	e.POST("/lots/:id/survey", frame.ByID(sv.saveLotSurvey))
	e.POST("/lots/:id/survey/monitor", frame.ByID(sv.readGrid))
	e.GET("/lots/:id/results", frame.ByID(sv.lotResults))
	e.POST("/lots/:id/results", frame.ByID(sv.saveLotResults))
	e.POST("/lots/:id/logs", frame.ByID(sv.saveLotLogs))
	e.GET("/lots/:id/grade", frame.ByID(sv.lotGrade))
	e.POST("/lots/:id/grade", frame.ByID(sv.saveLotGrade))
	e.GET("/lots/:id/labels", frame.ByID(sv.labels))
	e.GET("/m/:number", sv.scanned)
	e.GET("/import", sv.importPage)
	e.POST("/import", sv.saveImport)
	e.GET("/lots/:id/export", frame.ByID(sv.exportLot))
	e.GET("/modules/:number/inspect", sv.inspect)
	e.POST("/modules/:number/inspect", sv.saveInspection)
}
