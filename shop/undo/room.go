package undo

import (
	"pandrel/shop/kernel"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record  *record.Room
	Undoers []Undoer // what other rooms take back of their own
}
