package logfile_test

import (
	"bytes"
	"errors"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"pandrel/core/test/logfile"
)

// What a hostile or broken file asks for is refused before memory is taken for it.
func TestALogIsBoundedBeforeItIsRead(t *testing.T) {
	head := "time_s;volts;amps\n0;3,7;1\n"
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"one endless header":    {[]byte("time_s;volts" + strings.Repeat(";g", 8<<20)), "line 1: a line of"},
		"an endless line later": {[]byte(head + strings.Repeat("9", 4<<20)), "line 3: a line of"},
		"nothing but lines":     {[]byte(head + strings.Repeat("\n", 8<<20)), "lines: expected at most"},
		"old ends of lines": {[]byte("time_s;volts\r0;3\r" + strings.Repeat("\r", 8<<20)),
			"lines: expected at most"},
		"very many groups": {append([]byte("time_s;volts"+groups(200)+"\n0;3"+strings.Repeat(";3", 200)+"\n"),
			bytes.Repeat([]byte("1;3\n"), 200_000)...), "values"},
		"more columns than a table has": {[]byte("time_s;volts" + groups(300) + "\n0;3\n"), "header"},
	} {
		t.Run(name, func(t *testing.T) {
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			_, err := logfile.Parse(c.data)
			runtime.ReadMemStats(&after)
			var pe *logfile.ParseError
			if !errors.As(err, &pe) || !strings.Contains(err.Error(), c.says) {
				t.Errorf("%v: expected %q", err, c.says)
			}
			if took := after.TotalAlloc - before.TotalAlloc; took > 16<<20 {
				t.Errorf("took %d MiB to say no", took>>20)
			}
			if _, err := logfile.Peek(c.data); err != nil && !errors.As(err, &pe) {
				t.Error(err)
			}
		})
	}
}

func groups(n int) string {
	var b strings.Builder
	for i := range n {
		fmt.Fprintf(&b, ";cell %d V", i+1)
	}
	return b.String()
}
