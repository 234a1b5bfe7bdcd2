// Package sketch is the pictures that pages of several rooms show: a face as it lies, a family's strip, a survey's
// ladder.
package sketch

import "pandrel/web/frame"

// Room is these pages, with the rooms they ask.
type Room struct {
	*frame.Frame
}
