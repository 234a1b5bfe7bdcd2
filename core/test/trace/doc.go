// Package trace turns a log of a test into capacity, energy, resistance and the group that ended it (rules §4).
//
// Analyse judges what logfile has read. Charge and energy are integrated by the trapezoid rule from the samples
// themselves: a logger's own counter is compared, never trusted, and Ah are never multiplied with a nominal voltage.
package trace
