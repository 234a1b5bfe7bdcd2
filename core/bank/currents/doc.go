// Package currents works out where current can flow in a bank as it is wired: which groups and conductors lie in one
// row, what each BMS opens, what then is still on the load, and how much the overcurrent devices let pass for ever.
//
// It judges nothing: the limits and the words are those of the room above.
package currents
