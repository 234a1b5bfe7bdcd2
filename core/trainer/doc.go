// Package trainer is where probing is learned before it counts.
//
//	virtual   modules with a hidden truth, and the meter and the logs that show it
//	practice  cases to probe, and the judgement of what was concluded
//
// # The idea
//
// A rule that reads modules can be trusted as far as it was tried on modules whose inside is known. A person learns
// probing the same way. Both want modules that obey physics and keep a secret: groups with their own capacity, charge
// and resistance, pins that are doubled, dead or crossed, a case that leaks.
//
// # The method
//
// A module is made from a seed and a description, so that the same seed is the same module everywhere. A probe reads
// the difference of two potentials, with the meter's noise; a discharge walks the rest curve of each group less
// current times resistance, by fixed steps, and stops when the first group is at its floor. The truth is kept beside
// and never read by a rule: tests compare with it, and practice marks by it.
//
// # A worked example
//
// A module of seven NMC groups at half charge stands, by the curve, at 7 × 3.71 V. The example of this package reads
// it from end to end and the other way round: the same volts with the other sign. A pin that leads nowhere reads
// nothing against everything, and a learner who takes that for 0 V has put it on the wrong rung.
//
// # The limits, and where they come from
//
// Curves are those of package chem, noise is a bench meter's, capacities scatter as salvaged ones do. Heat and ageing
// are not simulated: nothing here says how long a module will last.
package trainer
