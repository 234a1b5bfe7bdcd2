// Package docs holds the papers that the program shows on its pages: the rules that findings name, and the hazards.
package docs

import _ "embed"

// Rules are the rules, in Markdown: a second-level heading for each section, which begins with its number.
//
//go:embed rules.md
var Rules []byte

// Hazards are the hazards and their gates, in Markdown.
//
//go:embed hazards.md
var Hazards []byte
