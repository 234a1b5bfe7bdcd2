// Package layout finds out what is inside a module from voltage readings between points that a probe can touch.
//
// Method (rules §2). Readings are the edges of a weighted graph over points; the unknown potentials satisfy φ(red) −
// φ(black) = V. Loops that do not close convict a reading when the evidence allows it (loops.go). The remaining
// readings give potentials by weighted least squares (fit.go). Points at one potential become nodes, nodes in order of
// potential become steps, and each step is explained by a whole number of cell groups of some chemistry (steps.go).
package layout
