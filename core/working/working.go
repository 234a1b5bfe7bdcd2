package working

import (
	"pandrel/core/base/ask"
	"pandrel/core/working/shelf"
)

// What stands on the shelf.
type (
	Working = shelf.Working
	About   = shelf.About
	Filled  = shelf.Filled
)

// The groups of the shelf.
const (
	Volts    = shelf.Volts
	Currents = shelf.Currents
	Strings  = shelf.Strings
	Tests    = shelf.Tests
	Money    = shelf.Money
)

// All lists the workings in the order of the shelf.
func All() []Working { return shelf.All() }

// Abouts lists the groups in the order in which they stand.
func Abouts() []About { return shelf.Abouts() }

// ByKey finds a working.
func ByKey(key string) (Working, bool) { return shelf.ByKey(key) }

// shelve puts a working on the shelf: T is what it takes.
func shelve[T any, P interface {
	*T
	ask.Input
}](w Working) Working {
	return shelf.Put[T, P](w)
}

const notTheCode = "local codes, the maker's data, age and damage of the parts"
