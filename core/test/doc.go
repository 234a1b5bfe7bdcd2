// Package test is a test of a module, of a part of it or of a bank, whatever makes it: from plan to figures.
//
//	testplan   the test of one module on what stands on the bench: currents, hours, end-points, settings, refusals
//	run        its steps as a device is told them, what a reading says, the log that comes of it
//	byhand     the same steps made by a person: when to look, when to switch off, what it gave
//	fall       groups in series that no device reads: how far the total may move until all are read again
//	logfile    logs of tests, as columns of numbers
//	trace      what a log says: capacity, energy, resistance, which group ended it
//	logview    a log on a screen
//	noted      what a result that was written down lacks, and what no module can show
//	parts      tests of parts of a module, put together
//	condition  slow cycles, and whether another is worth it
//	kind       what a test can be: a file and a row of a table each, and the figures that all of them come to
//
// # The idea
//
// A capacity is charge that flowed from full until the first group was at its floor. Everything else is 'at least', or
// somebody's word. So what counts of a test is not who made it, but how it began, how it ended, and what was read in
// between; a log, a cycler, a person with a clock and a figure on a scrap of paper are told apart by that alone.
//
// # The method
//
// A plan becomes steps, each with limits of its own on volts, time, charge and warmth. Whoever carries them out reads;
// each reading is held against its step, and what stands against going on ends it. Readings become a log, a log becomes
// figures, and figures of any kind are one type (kind.Figures), so that what counts is asked in one place.
//
// # A worked example
//
// A lamp of 294 W burns for two hours on seven NMC groups. Nobody read the current. No group stands above 4.20 V, so
// that at least 588 Wh / 29.4 V = 20 Ah flowed, and the module holds no less (the example of this package runs it).
//
// # The limits, and where they come from
//
// Currents and end-points are rules §4 and §5, floors and limits of charge the chemistry's (package chem). What a log
// cannot have held is refused or held, never averaged away.
package test
