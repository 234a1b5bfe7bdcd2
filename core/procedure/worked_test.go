package procedure_test

import (
	"fmt"

	"pandrel/core/base/finding"
	"pandrel/core/procedure/gates"
)

// A gate holds until its reading passes; what did not pass stays on record.
func Example() {
	steps := []gates.Step{
		{Key: "dead", Title: "Between the ends of the half", Gate: true, Ask: gates.AskReading, High: 5, Unit: "V"},
		{Key: "bars", Title: "Take the bars off", Ask: gates.AskConfirm},
	}
	var records []gates.Record
	for _, volts := range []float64{180, 1.2} {
		done, err := gates.Take(gates.States(steps, records), "dead",
			gates.Input{Reading: finding.Of(volts), By: "AK"}, nil)
		if err != nil {
			fmt.Println(err)
			return
		}
		records = append(records, gates.Record{Key: "dead", OK: done.OK})
		next := gates.States(steps, records)[1]
		fmt.Printf("%s: passed %v, the bars wait for: %q\n", done.Reading, done.OK, next.WaitsFor)
	}
	// Output:
	// 180 V: passed false, the bars wait for: "Between the ends of the half"
	// 1.2 V: passed true, the bars wait for: ""
}
