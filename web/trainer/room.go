// Package trainer is the pages for learning to probe on simulated modules.
package trainer

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
	e.GET("/practice", sv.practices)
	e.GET("/practice/:case", sv.practice)
	e.POST("/practice/:case", sv.practiceStep)
}
