// Package wiring checks a bank as a netlist before anything is bolted together (rules §9).
//
// Method. Points are module nodes and free names. Cell groups join two nodes with an offset of one group and some
// volts; ties join points with an offset of zero. A tie is a conductor, a transistor BMS between its B− and P−, or two
// points that are both on earth: every loop is judged as if everything were switched on. A union-find structure with
// offsets gives every point its level (signed groups) and potential, and finds each tie that closes a loop. A loop
// whose signed count of groups is not zero is a short. Everything else is read from the levels: layout, hidden groups,
// the sense table; from the bank reduced to what stands in parallel: differences and first currents; from the classes
// of ties and groups that carry one current: strings, their fuses and ratings; and from searches over the graph without
// fuses or without the BMS's switch: protection and bypasses. None of them depends on the order of modules, conductors
// or names in the file.
package wiring
