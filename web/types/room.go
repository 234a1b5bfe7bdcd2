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
	e.GET("/types/:id", frame.ByID(sv.typ))
	e.POST("/types/:id", sv.saveType)
	e.POST("/types/:id/declare", frame.ByID(sv.declareLayout))
	e.POST("/types/:id/delete", frame.ByID(sv.deleteType))
	e.GET("/types/:id/pins", frame.ByID(sv.pins))
	e.GET("/types/:id/face", frame.ByID(sv.face))
	e.POST("/types/:id/face", frame.ByID(sv.saveFace))
	e.GET("/types/:id/lie", frame.ByID(sv.turnFace))
	e.GET("/types/:id/looks", frame.ByID(sv.looks))
	e.POST("/types/:id/looks", frame.ByID(sv.saveLooks))
	e.POST("/types/:id/size", frame.ByID(sv.saveSize))
	e.GET("/types/:id/teardown", frame.ByID(sv.teardown))
	e.POST("/types/:id/teardown", frame.ByID(sv.saveTeardown))
	e.POST("/types/:id/pictures", frame.ByID(sv.addStepPicture))
	e.GET("/types/:id/variants", frame.ByID(sv.variants))
	e.POST("/types/:id/variants", frame.ByID(sv.saveInside))
	e.GET("/types/:id/curve", frame.ByID(sv.curve))
	e.POST("/types/:id/curve", frame.ByID(sv.saveCurve))
}
