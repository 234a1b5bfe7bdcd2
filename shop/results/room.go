// Package results is what tests gave: logs, what was typed, sets of cells and parts, read again and looked into, and
// the grades that follow, by the shop's limits.
package results

import (
	"pandrel/shop/kernel"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record *record.Room

	read readLogs
}
