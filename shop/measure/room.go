// Package measure is readings of a module at rest: probing its map, checking it against its type, surveys, isolation,
// the leads they are read by, and opening and closing its case.
package measure

import (
	"pandrel/shop/kernel"
	"pandrel/shop/receive"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record  *record.Room
	Receive *receive.Room

	plugs plugs
	watch watch
}
