// Package test is the pages of tests: plans, logs, what is typed, what runs, what a person makes by the clock.
package test

import (
	"net/http"
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
	e.POST("/modules/:number/trace", sv.saveLog)
	e.POST("/modules/:number/hand", sv.saveTyped)
	e.GET("/modules/:number/test/:kind", sv.asked)
	e.POST("/modules/:number/test/:kind", sv.saveAsked)
	e.GET("/bench", sv.bench)
	e.GET("/tests", sv.runs)
	e.GET("/tests/events", sv.events)
	e.GET("/tests/:id", frame.ByID(sv.one))
	e.POST("/tests/:id", frame.ByID(sv.control))
	e.POST("/tests/:id/reading", frame.ByID(sv.saveHandReading))
	e.GET("/tests/:id/so-far", frame.ByID(sv.soFar))
	e.GET("/tests/:id/log", frame.ByID(sv.logPage))
	e.GET("/tests/:id/samples", frame.ByID(sv.logSamples))
	e.GET("/tests/:id/part", frame.ByID(sv.logPart))
	e.POST("/tests/:id/read", frame.ByID(sv.rereadLog))
	e.GET("/tests/:id/original", frame.ByID(sv.original))
	for _, was := range []string{"traces", "runs", "hand"} { // addresses as they were printed
		e.GET("/"+was+"/:id", frame.ByID(sv.printed(was)))
		e.GET("/"+was+"/:id/:what", frame.ByID(sv.printed(was)))
	}
	e.GET("/runs", func(c *echo.Context) error { return c.Redirect(http.StatusMovedPermanently, "/tests") })
	e.POST("/modules/:number/run", sv.startRun)
	e.POST("/bench/kit", sv.saveKit)
	e.POST("/bench/pin", sv.pin)
	e.GET("/modules/:number/condition", sv.conditioning)
	e.POST("/modules/:number/byhand", sv.startByHand)
	e.GET("/lots/:id/set", frame.ByID(sv.set))
	e.POST("/lots/:id/set", frame.ByID(sv.saveSet))
	e.GET("/limits", sv.limits)
	e.POST("/limits", sv.saveLimits)
	e.GET("/types/:id/curves", frame.ByID(sv.curves))
}
