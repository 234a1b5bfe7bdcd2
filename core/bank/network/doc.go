// Package network is what can be said of points joined to each other, before anybody asks what they are: which of them
// hang together and at what level, the shortest way between two, and the resistance between two.
package network
