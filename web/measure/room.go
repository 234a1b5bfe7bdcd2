// Package measure is the pages of a module at rest: map, check, isolation, survey, leads, opening, the family strip.
package measure

import (
	"fmt"
	"net/http"

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
	e.GET("/strip/:where/:id", frame.ByID(sv.stripPage))
	e.GET("/leads", sv.leads)
	// as it once was
	e.GET("/adapters", func(c *echo.Context) error { return c.Redirect(http.StatusMovedPermanently, "/leads") })
	e.GET("/adapters/:id", func(c *echo.Context) error {
		id, err := frame.IdParam(c)
		if err != nil {
			return err
		}
		return c.Redirect(http.StatusMovedPermanently, fmt.Sprintf("/leads/%d", id))
	})
	e.POST("/leads", sv.saveLead)
	e.GET("/leads/:id", frame.ByID(sv.lead))
	e.POST("/leads/:id", frame.ByID(sv.changeLead))
	e.POST("/leads/:id/check", frame.ByID(sv.checkLead))
	e.GET("/modules/:number/open", sv.opening)
	e.POST("/modules/:number/open", sv.saveOpening)
	e.GET("/modules/:number/map", sv.mapping)
	e.POST("/modules/:number/map/meter", sv.readMeter)
	e.POST("/modules/:number/map", sv.saveProbes)
	e.POST("/modules/:number/map/try", sv.tryMap)
	e.GET("/modules/:number/check", sv.check)
	e.POST("/modules/:number/check", sv.saveCheck)
	e.GET("/modules/:number/isolation", sv.isolation)
	e.POST("/modules/:number/isolation", sv.saveIsolation)
	e.GET("/readings/:id", sv.probeSet)
	e.POST("/readings/:id/accept", frame.ByID(sv.acceptLayout))
	e.GET("/modules/:number/survey", sv.survey)
	e.POST("/modules/:number/survey", sv.saveSurvey)
	e.POST("/modules/:number/survey/try", sv.trySurvey)
	e.POST("/modules/:number/survey/monitor", sv.readMonitor)
}
