// Package grade is the classes that follow from what was measured, by the shop's own limits.
package grade

import (
	"pandrel/shop/kernel"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record *record.Room
}
