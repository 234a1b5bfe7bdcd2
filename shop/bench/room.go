// Package bench is what a module does under load: what stands on the bench, plans, the schedule, tests that run and
// tests by hand. What they give goes to package results.
package bench

import (
	"sync"

	"pandrel/core/bench/run"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/results"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record  *record.Room
	Results *results.Room

	wire wire
	told told

	watch sync.Mutex // guards what is kept of running tests between two looks
	marks map[markOf]run.Mark
	holds map[int64]held
}
