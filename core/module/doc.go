// Package module is everything that is said of one module: what is inside, how its groups are, what it holds, and what
// it may do next.
//
//	look       what is looked at before anything is measured, and what follows
//	isolation  how well it is isolated from its case
//	face       how it lies on the bench, and where its points are
//	plate      what its label plate says, against itself
//	declare    a layout that somebody sees and says, with a reading or two that confirm it
//	layout     what is inside, from voltages between points that a probe can touch
//	lead       the lead from its pins to an instrument, and the check of it
//	sense      whether sense leads sit on the taps they should
//	survey     the rest voltages of its groups, against each other and against earlier ones
//	capacity   what it holds by whatever is known of it, as an interval
//	grade      class and fitness, with every reason
//	passage    the one rule of what it may do next
//	teardown   how its type is opened, and put back
//	variant    what else its type could be with other links or cuts
//
// # The idea
//
// A module is a ladder: cells in parallel make a group, groups in series make the module, and each rung of the ladder
// is a point that some connector may bring out. Its current is that of every group, its capacity that of the least
// group, and its danger that of the worst. So nothing is judged by the voltage of the whole: one group that leaks
// hides behind six that do not.
//
// # The method
//
// Points first: every reading of a meter says that two points differ by so many volts. Readings are the edges of a
// graph, loops must close, and what is left after a wrong reading is named gives each point its height on the ladder
// (layout). Then groups: read at rest, they are compared with their median through the rest curve, so that a
// difference is told in amp hours and not in volts (survey). Then a test (package test): charge is integrated from
// the samples, and the group that reaches its floor first is the one whose capacity counts. The grade is what all of it
// comes to, and an open question holds a module rather than being averaged away.
//
// # A worked example
//
// Seven NMC groups of 46 Ah rated, at rest for two hours: six read 3.709 to 3.712 V, the sixth from below 3.640 V. The
// example of this package runs it.
//
//   - 71 mV below the median lie, at this place of the curve, 6.7 to 7.1 Ah: 15 % of the rated capacity. Up to 2 %
//     would be left alone, up to 6 % balanced; this is suspect.
//   - It may be a group that leaks or one that was never balanced. One survey cannot tell: a second one after days of
//     rest can, by whether the distance grew.
//   - Later a full discharge gives 39.1 Ah: 85 % of rated, class A. But the survey stands, so that its fitness is
//     watch: it is not offered for a bank until the second survey.
//
// # The limits, and where they come from
//
// Shares are the shop's policy (survey.DefaultPolicy, grade.DefaultPolicy) and shown with each finding; voltages are
// the chemistry's (package chem); how far a loop may fail to close is the meter's accuracy, at least 20 mV. A group
// once confirmed below never-recharge is never charged again, whatever it reads later, and no grade or reason in
// writing gets past that.
package module
