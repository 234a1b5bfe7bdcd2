// Package desk is the workshop at a glance: what waits where, what is wrong, lists, search, a module's whole life.
package desk

import (
	"pandrel/shop/bank"
	"pandrel/shop/bench"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record    *record.Room
	Bench     *bench.Room
	Bank      *bank.Room
	Procedure *procedure.Room
}
