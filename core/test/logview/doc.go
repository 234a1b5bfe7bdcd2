// Package logview shows a log: thinned for a small picture, a stretch of it at any width, and what flowed between two
// times of it. What the log says of the module is judged by trace.
package logview
