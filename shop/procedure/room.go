// Package procedure is work in steps with gates: packs that are split, standing banks that are opened, banks that go
// into service.
package procedure

import (
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/receive"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record  *record.Room
	Receive *receive.Room
	Bank    *bank.Room

	inService kept
}
