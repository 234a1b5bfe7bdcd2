// Package web shows the workshop in a browser: a room of pages for each part of the work, over one frame. Each room
// registers its own routes.
//
// Handlers turn requests into shop actions and results into view models; they do no trade
// arithmetic. Pages work without a script; scripts add rhythm and live answers.
package web

import (
	"embed"
	"log/slog"
	"net/http"

	"pandrel/shop"
	"pandrel/web/bank"
	"pandrel/web/desk"
	"pandrel/web/door"
	"pandrel/web/eyes"
	"pandrel/web/floor"
	"pandrel/web/frame"
	"pandrel/web/measure"
	"pandrel/web/module"
	"pandrel/web/procedure"
	"pandrel/web/receive"
	"pandrel/web/sketch"
	"pandrel/web/test"
	"pandrel/web/trainer"
	"pandrel/web/types"
	"pandrel/web/working"
)

//go:embed static templates
var files embed.FS

// New returns the handler for a workshop. Requests for other hosts than those of the place are refused, so that a page
// of another site cannot reach it through a name of its own.
func New(s *shop.Shop, at door.Place, log *slog.Logger) (http.Handler, error) {
	f, e, err := frame.New(s, files, at, log)
	if err != nil {
		return nil, err
	}
	pictures := &sketch.Room{Frame: f}
	rest := &measure.Room{Frame: f, Sketch: pictures}
	(&desk.Room{Frame: f}).Routes(e)
	(&receive.Room{Frame: f, Sketch: pictures}).Routes(e)
	(&types.Room{Frame: f, Sketch: pictures}).Routes(e)
	rest.Routes(e)
	(&eyes.Room{Frame: f}).Routes(e)
	(&test.Room{Frame: f}).Routes(e)
	(&module.Room{Frame: f, Sketch: pictures, Measure: rest}).Routes(e)
	steps := &procedure.Room{Frame: f}
	steps.Routes(e)
	(&bank.Room{Frame: f, Procedure: steps}).Routes(e)
	(&floor.Room{Frame: f}).Routes(e)
	(&trainer.Room{Frame: f}).Routes(e)
	(&working.Room{Frame: f}).Routes(e)
	return e, nil
}
