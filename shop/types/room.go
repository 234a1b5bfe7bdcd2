// Package types is what modules of one design share, and what becomes of everything judged by it when it changes.
package types

import (
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record  *record.Room
	Measure *measure.Room
}
