package logfile

import (
	"bytes"
	"fmt"

	"pandrel/core/base/numeral"
)

// Bounds of a log, asked before memory is taken for it. A day at ten samples a second has 864 000 lines.
const (
	maxLine    = 8 << 10  // bytes of a line
	maxColumns = 256      // of a table
	maxLines   = 4 << 20  // of a file
	maxValues  = 20 << 20 // lines times the columns that are kept
)

// bounded returns how many lines a file has. It fails where the file is no log that a person could mean: one endless
// line, or lines without end.
func bounded(data []byte) (lines int, err error) {
	for at := 0; len(data)-at > maxLine; {
		k := bytes.LastIndexByte(data[at:at+maxLine+1], '\n')
		if k < 0 {
			end := bytes.IndexByte(data[at:], '\n')
			if end < 0 {
				end = len(data) - at
			}
			return 0, &ParseError{Line: bytes.Count(data[:at], []byte("\n")) + 1, Text: fmt.Sprintf("a line of %d "+
				"bytes: expected at most %d, a line for each sample", end, maxLine)}
		}
		at += k + 1
	}
	if lines = bytes.Count(data, []byte("\n")) + 1; lines > maxLines+1 {
		return 0, &ParseError{Text: fmt.Sprintf("%s: expected at most %d. Log with a longer interval, or cut "+
			"the file into its cycles", numeral.Count(lines-1, "line"), maxLines)}
	}
	return lines, nil
}

// fits fails where the columns that would be kept have more values than may be held.
func (h header) fits(lines int) error {
	kept := 4 + len(h.groupOrder())
	for _, k := range []Kind{kTemp, kAh} {
		if has(h.columns, k) {
			kept++
		}
	}
	if lines*kept > maxValues {
		return &ParseError{Text: fmt.Sprintf("%s of %s: expected at most %s. Log with a longer "+
			"interval, or cut the file into its cycles", numeral.Count(lines, "line"), numeral.Count(kept, "column"),
			numeral.Count(maxValues, "value"))}
	}
	return nil
}
