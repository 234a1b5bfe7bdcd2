// Package procedure is work in steps, some of which nobody may leave out.
//
//	gates       what a step is, and the one rule of how it is taken
//	pack        taking a traction pack apart
//	standing    taking an owner's bank out of work and bringing it back
//	commission  what must be said and measured before a bank goes into service
//	hazard      what can hurt somebody, and what gates it here
//
// # The idea
//
// The dangerous hours of this trade are not spent computing. They are spent with a cover off and one more thing to do,
// by somebody who has done it before. A list helps when it refuses to go on: a gate is a step before which everything
// after it waits.
//
// # The method
//
// A step list is data: pack, standing and commission write one from what they are told (volts, strings, mains, frost),
// and nothing else. gates.States lays the records over the list, and gates.Take judges one step as it is done: a
// confirmation, a name, or a reading that must lie in a range or near a plan's. A reading that does not pass is kept
// and stops. It may be passed over by a reason in writing with initials, which stays on record, unless the step is one
// of those that nobody passes over. Adding a kind of work means writing a list; recording, waiting and passing over
// stand here once.
//
// # A worked example
//
// The ends of an opened pack half must read at most 5 V before anybody unbolts a bar. The example of this package runs
// it.
//
//   - 180 V are read: kept, not passed. The next step waits, and its title says for what.
//   - The half is split once more and 1.2 V are read: passed, and the next step is free. Both readings stay on record.
//   - Where the step were one that nobody passes over, a reason in writing is refused as well, with what to do
//     instead.
//
// # The limits, and where they come from
//
// What is taken as dead, what may be touched and how near a reading must lie stand in package limits and with each
// list; the findings name them. Which steps nobody passes over is held against package hazard by a test: a refusal
// that the list of hazards does not know fails it, and one that it promises and the code does not keep as well. Local
// codes, the maker's procedure and licensed practice come first, and every list says so.
package procedure
