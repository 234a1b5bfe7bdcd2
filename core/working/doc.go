// Package working is the workings: each sum of the trade with what it asks, what to start from, and its answer in
// words, numbers, a table and a picture. It holds no arithmetic of the trade: that is in core/bank, core/bench and
// core/module, and each working here binds one question to it. Pages, commands and the places in the work all ask here,
// so that a question has one answer wherever it comes up.
//
// # The idea
//
// People come with half of the numbers. So every input may stay open where a typical value or a range can stand for it,
// and the answer says which did. An input that cannot be is named with what was expected; a judgement is a finding.
//
// # The method
//
// A working is a list of fields and a function from what was typed to an answer. What is typed is text, as people write
// numbers; the values of a working are its permalink.
//
// # A worked example
//
// Is 26 V full? For eight groups of LFP 26 V are 3.25 V a group (the example of this package runs it): 19 to 39 %, not
// full.
//
// # The limits, and where they come from
//
// Each answer names its source and what it did not consider. It says what the limit is, never 'safe'.
package working
