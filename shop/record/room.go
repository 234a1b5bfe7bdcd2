// Package record is what is on record of a module, read back: its map, its newest survey, its tests, its pictures, and
// what all of it says it may do next. Every other room of the shop asks here; nothing here changes a reading.
package record

import "pandrel/shop/kernel"

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
}
