// Package netlist is a bank written down: modules with their groups and posts, the conductors that join them, the
// monitors with their sense leads, and where loads attach. It judges nothing: package wiring does.
package netlist
