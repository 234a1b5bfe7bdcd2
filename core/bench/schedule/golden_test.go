package schedule_test

import (
	"fmt"
	"testing"

	"pandrel/core/bench/kit"
	"pandrel/core/bench/schedule"
	"pandrel/golden"
)

func TestWhatASchedulePlans(t *testing.T) {
	type asked struct {
		Jobs []schedule.Job
		Shop schedule.Shop
	}
	var list []schedule.Job
	for i, h := range []float64{9, 9.5, 24, 7, 18, 12.5, 9} {
		j := schedule.Job{Name: fmt.Sprint("J", i+1), Pin: -1, Hours: []float64{h, 1.2 * h},
			Steps: []schedule.Step{{"charge", h / 3, 1.1},
				{"rest", 1, 0}, {"discharge", h/3 - 1, -0.8}, {"charge", h / 3, 0.5}}}
		list = append(list, j)
	}
	pinned := append([]schedule.Job(nil), list...)
	pinned[1].Pin, pinned[4].Hours = 1, []float64{0, 20}
	shop := schedule.Shop{Channels: []string{"A", "B"}, Start: 10, WorkFrom: 8, WorkTo: 17, HandsHours: 0.4,
		Store: kit.Store{KWh: 3, From: 0.5, Efficiency: 0.9}}
	busy := shop
	busy.Busy = []schedule.Busy{{Job: "X", Hours: 5}, {}}
	golden.Answers(t, "schedule", []golden.Case[asked]{{Name: "seven on two", In: asked{list, shop}},
		{Name: "pinned, one busy",
			In: asked{pinned, busy}}, {Name: "at any hour, no store", In: asked{list[:3],
			schedule.Shop{Channels: []string{"A", "B"}}}},
		{Name: "nothing"}, {Name: "no channel", In: asked{Jobs: list[:1]}}}, func(a asked) (any, error) {
		return schedule.Make(a.Jobs, a.Shop)
	})
}
