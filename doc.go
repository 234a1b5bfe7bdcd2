// Package pandrel is the root of the module; it holds the test of the folders' order. The program
// is in cmd/pandrel, the trade in core.
package pandrel
