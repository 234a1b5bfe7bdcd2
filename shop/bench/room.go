// Package bench is what a module does under load: logs of tests, results by hand, and the grade that follows.
package bench

import (
	"pandrel/shop/kernel"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record *record.Room

	wire wire
	read readLogs
	told told
}
