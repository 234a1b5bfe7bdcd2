// Package test is tests of modules and parts of them: logs, what was typed, what runs on the cycler, what a person
// makes
// by the clock. Each is one row, from its beginning to what it came to.
package test

import (
	"sync"

	"pandrel/core/test/run"
	"pandrel/instrument"
	"pandrel/shop/bench"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
)

// Room is this part of the work, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record *record.Room
	Bench  *bench.Room

	line instrument.Line
	News kernel.News // of tests that run
	read readLogs

	watch sync.Mutex // guards what is kept of running tests between two looks
	marks map[markOf]run.Mark
	holds map[int64]held
}
