// Package bench is what stands on the bench, and what a test of a module would be on it: plans and slow cycles.
package bench

import (
	"pandrel/shop/kernel"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record *record.Room
}
