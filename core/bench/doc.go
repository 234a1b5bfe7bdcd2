// Package bench is what stands on the bench and what it takes: loads out of resistors, hours and energy of tests. The
// tests themselves are package test.
//
//	kit       what stands on the bench
//	schedule  all waiting tests on the channels, so that they are done early
//	load      a network of resistors for a wanted current, or what a given heap draws
//	steady    when what a meter shows may be taken down with nobody at a key
//	times     how long tests take, what comes from the wall, and how many hours somebody must be there
//
// # The idea
//
// A test costs hours and kilowatt hours before it says anything. Both follow from currents, voltages and the shape of a
// charge, and both are wanted before the first clamp goes on.
//
// # The method
//
// Closed forms of rules §5: constant current, then a taper at the mean of 0.4 of it for the last share of the charge,
// each amp hour counted once; a network of s in series by p in parallel draws V·p/(R·s) and each part bears V²/(R·s·p).
//
// # A worked example
//
// Twelve resistors of 1 Ω and 100 W on 14 V (the example of this package runs it): 4 in series by 3 in parallel are
// 1.33 Ω, 10.5 A, and 12.25 W in each: far below half of the 100 W.
//
// # The limits, and where they come from
//
// Half of a resistor's rating (the makers' own is for a large plate of metal), 0.9 each way through a store. All
// typical: the maker's data come first.
package bench
