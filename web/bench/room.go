// Package bench is the pages of a module under load: logs and results by hand.
package bench

import (
	"sync/atomic"

	"github.com/labstack/echo/v5"

	"pandrel/web/frame"
)

// Room is these pages, with the rooms they ask.
type Room struct {
	*frame.Frame

	streams atomic.Int64
	news    news
}

// Routes adds the pages of this room.
func (sv *Room) Routes(e *echo.Echo) {
	e.GET("/modules/:number/test", sv.test)
	e.POST("/modules/:number/trace", sv.saveTrace)
	e.POST("/modules/:number/hand", sv.saveHand)
	e.GET("/bench", sv.bench)
	e.GET("/runs", sv.runs)
	e.GET("/runs/events", sv.events)
	e.GET("/runs/:id", frame.ByID(sv.run))
	e.POST("/runs/:id", frame.ByID(sv.controlRun))
	e.GET("/runs/:id/log", frame.ByID(sv.runLog))
	e.POST("/modules/:number/run", sv.startRun)
	e.POST("/bench/kit", sv.saveKit)
	e.POST("/bench/pin", sv.pin)
	e.GET("/modules/:number/condition", sv.conditioning)
	e.POST("/modules/:number/byhand", sv.startByHand)
	e.GET("/hand/:id", frame.ByID(sv.handTest))
	e.POST("/hand/:id", frame.ByID(sv.moveHandTest))
	e.POST("/hand/:id/reading", frame.ByID(sv.saveHandReading))
	e.GET("/lots/:id/set", frame.ByID(sv.set))
	e.POST("/lots/:id/set", frame.ByID(sv.saveSet))
	e.GET("/limits", sv.limits)
	e.POST("/limits", sv.saveLimits)
	e.GET("/types/:id/curves", frame.ByID(sv.curves))
	e.GET("/traces/:id", frame.ByID(sv.logPage))
	e.GET("/traces/:id/samples", frame.ByID(sv.logSamples))
	e.GET("/traces/:id/part", frame.ByID(sv.logPart))
	e.POST("/traces/:id/read", frame.ByID(sv.rereadLog))
	e.GET("/traces/:id/original", frame.ByID(sv.original))
}
