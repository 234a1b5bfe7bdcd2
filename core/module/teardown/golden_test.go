package teardown_test

import (
	"testing"

	"pandrel/core/module/teardown"
	"pandrel/golden"
)

func TestWhereTeardownsChange(t *testing.T) {
	closed := append(append([]teardown.Record(nil), open...), on("s3", 4, 2), on("s2", 4, 1), on("s1", 8, 1))
	short := append(append([]teardown.Record(nil), open...), on("s3", 3, 2), on("s2", 4, 0))
	golden.Judged(t, "teardown", []golden.Case[[]teardown.Record]{{Name: "nothing done"}, {Name: "half open",
		In: open[:2]}, {Name: "open", In: open}, {Name: "closing with some missing", In: short}, {Name: "closed",
		In: closed}}, func(rs []teardown.Record) (any, error) {
		states := teardown.States("K-7", list, rs)
		fs, done := teardown.Findings(states)
		return []any{states, teardown.Closing(states), teardown.Tray(states), fs, done, teardown.Missing(fs)}, nil
	})
	golden.Judged(t, "steps", []golden.Case[[]teardown.Step]{{Name: "good", In: list, Words: true, Longest: 450},
		{Name: "none"}}, func(steps []teardown.Step) (any, error) {
		n, field, text := teardown.CheckSteps(steps)
		return []any{n, field, mark(text), teardown.WithKeys([]teardown.Step{{Do: "Lift the lid"}, {Do: "New"}},
			list)}, nil
	})
}

type mark string
