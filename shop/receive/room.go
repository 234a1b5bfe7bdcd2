// Package receive is the first station of the path: lots, their modules, what they looked like and where they were.
package receive

import (
	"pandrel/shop/kernel"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record *record.Room
}
