// Package types is the pages of a module type: its face, pins, curve, looks, inside, and how it is opened.
package types

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
	e.GET("/types", sv.types)
	e.POST("/types", sv.saveType)
	e.GET("/types/:id", sv.typ)
	e.POST("/types/:id", sv.saveType)
	e.GET("/types/:id/pins", sv.pins)
	e.GET("/types/:id/face", sv.face)
	e.POST("/types/:id/face", sv.saveFace)
	e.GET("/types/:id/lie", sv.turnFace)
	e.GET("/types/:id/looks", sv.looks)
	e.POST("/types/:id/looks", sv.saveLooks)
	e.GET("/types/:id/teardown", sv.teardown)
	e.POST("/types/:id/teardown", sv.saveTeardown)
	e.POST("/types/:id/pictures", sv.addStepPicture)
	e.GET("/types/:id/variants", sv.variants)
	e.POST("/types/:id/variants", sv.saveInside)
	e.GET("/types/:id/curve", sv.curve)
	e.POST("/types/:id/curve", sv.saveCurve)
}
