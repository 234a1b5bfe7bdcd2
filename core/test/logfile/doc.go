// Package logfile reads the logs of cyclers, chargers and meters into columns of numbers (rules §4).
//
// Method. Separator, decimal mark, header line and units are found from the file itself: the separator that cuts the
// most lines into the same number of fields, the decimal mark that makes the fields numbers. A column is named by the
// words of its header and held against what its numbers can be; time may be seconds, hours, a clock or a date, and a
// date whose order of day and month is not decided by any line is said to be undecided, never guessed. What a reader
// names by hand is taken over what was found. Nothing is judged here: what the numbers mean for a module is for
// package trace.
package logfile
