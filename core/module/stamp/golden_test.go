package stamp_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"pandrel/core/module/stamp"
	"pandrel/golden"
)

// texts are dates and clocks as loggers write them, good and bad.
var texts = strings.Split("2026-03-01 12:00:00|2026-03-01T12:00:00Z|2026-03-01T12:00:00.25+01:00|01.03.2026 "+
	"12:00|1.3.2026 7:05:09|03/01/2026 12:00:00|13/01/2026 12:00|2026/03/01 12:00|12:00:00|12:00:00.5|1:02|1h 02m "+
	"03s|1h02m|02m 03s|1:23:59.999|25:61:00|99:59:59|1d 02:03:04|2026-02-30 12:00:00|2026-13-01 1:00|31.12.2026 "+
	"23:59:59|01.03.26 12:00:00|x|3600|3600.5|3600,5|-5|1e3|12:00:00 PM|12:30:00 AM|1:00 PM|2024-02-29 "+
	"00:00:00|2023-02-29 00:00:00|20260301120000|2026-03-01 12:00:60|1772366400|1772366400000|03-01-2026 10:00|1 Mar "+
	"2026 10:00|Mar 1 2026 10:00", "|")

// A date or a clock with one letter wrong is another, or none: it is not taken for what it was.
func TestWhatAStampSaysOfASlip(t *testing.T) {
	golden.Texts(t, "slips", append(slices.Clone(texts), "2026-03-01T12:00:00+0130", "2026-03-01T12:00:00-05",
		"20260301 12:00", "2026 Mar 01 10:00", "Sun 1 Mar 2026 10:00", "1 März 2026 10:00:00", "12345:00:00",
		"2 days 1:02:03", "1 h 2 min 3 s", "90 min", "1.5 h", "05:00 p.m.", "46082.5"), func(text string) string {
		date, clock := stamp.Split([]byte(text))
		r := stamp.Reader{Scale: 1}
		s, way, ok := r.Read(date, clock, strings.Contains(text, ","))
		seconds, whole := stamp.ClockSeconds([]byte(text))
		out := fmt.Sprintf("%.7g %v %v, clock %.7g %v,", s, way, ok, seconds, whole)
		for _, order := range []string{"", "dmy", "mdy", "ymd"} {
			if at, ok := stamp.ParseDate(date, order); ok {
				out += " " + order + at.Format("2006-01-02T15:04:05.000")
			}
		}
		return out
	})
}

// Dates and clocks as loggers write them, good and bad, one by one.
func TestWhatAStampSays(t *testing.T) {
	type read struct {
		Seconds float64
		Way     stamp.Way
		OK      bool
	}
	out := map[string]any{}
	for _, text := range texts {
		date, clock := stamp.Split([]byte(text))
		r := stamp.Reader{Scale: 1}
		s, way, ok := r.Read(date, clock, strings.Contains(text, ","))
		seconds, whole := stamp.ClockSeconds([]byte(text))
		row := []any{string(date) + "|" + string(clock), read{s, way, ok}, seconds, whole}
		for _, order := range []string{"", "dmy", "mdy", "ymd"} {
			at, ok := stamp.ParseDate(date, order)
			row = append(row, at.Format("2006-01-02 15:04:05.000"), ok)
		}
		out[text] = row
	}
	for _, dates := range []string{"01.02.2026 03.02.2026", "13.02.2026 14.02.2026", "02/13/2026", "02/03/2026 " +
		"03/03/2026 04/03/2026", "2026-01-02", "32/13/2026"} {
		var list [][]byte
		for _, d := range strings.Fields(dates) {
			list = append(list, []byte(d))
		}
		order, ok := stamp.OrderOf(list)
		out["order of "+dates] = []any{order, ok}
	}
	golden.Same(t, "stamps", golden.Text(out))
}
