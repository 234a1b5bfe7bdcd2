// Package bank is many modules: a need, the ways to meet it from the stock, the design, its BMS and its sense leads.
package bank

import (
	"pandrel/shop/kernel"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record *record.Room
}
