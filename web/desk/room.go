// Package desk is the first page, the stations, search, keys and the rules.
package desk

import (
	"github.com/labstack/echo/v5"

	"pandrel/docs"
	"pandrel/web/frame"
)

// Room is these pages, with the rooms they ask.
type Room struct {
	*frame.Frame
}

// Routes adds the pages of this room.
func (sv *Room) Routes(e *echo.Echo) {
	e.GET("/", sv.today)
	e.GET("/search", sv.search)
	e.GET("/keys", sv.keys)
	e.GET("/rules", sv.shown(docs.Rules, "The rules"))
	e.GET("/hazards", sv.shown(docs.Hazards, "Hazards"))
	e.GET("/who", sv.who)
	e.POST("/who", sv.saveWho)
	e.POST("/undo", sv.undo)
	e.GET("/glyphs.svg", sv.glyphs)
	e.GET("/station/:station", sv.station)
}
