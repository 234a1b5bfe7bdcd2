// Package bank is everything that is said of many modules joined: which of them, how, and in which order.
//
//	window   which series counts fit a device, and what each loses
//	match    which module in which position
//	unsure   what a bank holds when its modules are known only within intervals, and which to test first
//	plan     the design between the two: modules, places, conductors, fault current
//	netlist  the bank written down: modules, posts, conductors, devices
//	sequence in which order to join the parts, so that little lies open for as long as possible
//	network  what can be said of joined points before anybody asks what they are: levels, loops, resistance
//	wiring   the judgement of a netlist before a bar is bolted
//	balance  how unequal the charge of its groups is, and what that costs
//	whole    a standing bank by its group voltages, and a bank that was tested whole
//	bms      which monitor, and what to set on it
//	build    the steps of putting it together, each with what to measure first
//
// # The idea
//
// In series the charge is that of the least position; in parallel charges add up. So a good bank puts strong modules
// beside weak ones until every position holds about the same, and a good check does not look at the drawing but walks
// from point to point: whatever way one takes from here to there must come to the same number of groups and the same
// volts. Where two ways differ, the difference stands across a bar of a tenth of a milliohm the moment it is bolted.
//
// # The method
//
// The device says between which volts the bank may stand; each series count is held against that with the chemistry's
// charge limit and floor, and what the rest of the curve would have given is told as lost (window). Matching is a
// partition of capacities into positions of equal number: greedy, then exchanges, against an upper bound that says how
// far from the best it can be (match). The bank is then a graph. A union-find with offsets gives every point its level,
// a count of groups, and its potential; every conductor that closes a loop is judged as if all switches were on, and a
// loop whose count is not zero is a short (network, wiring). What a sense lead must read falls out of the same levels.
//
// # A worked example
//
// Two modules of three NMC groups, each at 3.7 V a group, one above the other (the example of this package runs it):
//
//   - Levels from the main negative: 0, 1, 2, 3, then 4, 5, 6. The bar between them joins two points of level 3, which
//     differ by 0 V: it may be bolted.
//   - Bolted one tap off, from level 3 to level 2 of the same module, it would close a loop with one group in it: 3.7
//     V across 0.1 mΩ of bar. That is a short of thousands of amps, and it is refused by its count, whatever the
//     voltages of the day.
//   - The sense table follows: lead 0 at 0.0 V, lead 4 at 14.8 V. Leads 4 and 5 that read 18.5 and 14.8 V are swapped.
//
// # The limits, and where they come from
//
// What may be joined in parallel (50 mV) and what is above the touch limit stand in package limits, since more than
// one rule goes by them. Fault current is 1.25 × V / R with half of the 10 s resistance taken as ohmic, rounded up: an
// estimate to choose an interrupting rating by, not a measurement. A fuse sits within 200 mm of the cells. Where a
// rating was not given a finding says 'not checked' rather than nothing.
package bank
