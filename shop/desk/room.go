// Package desk is the workshop at a glance: what waits where, what is wrong, lists, search, a module's whole life.
package desk

import (
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/procedure"
	"pandrel/shop/record"
	"pandrel/shop/test"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record    *record.Room
	Tests     *test.Room
	Bank      *bank.Room
	Procedure *procedure.Room
}
