package face_test

import (
	"testing"

	"pandrel/core/module/face"
	"pandrel/golden"
)

func TestWhereFacesChange(t *testing.T) {
	plain := face.Default([]string{"A-", "M", "A+"}, face.Pins("X", 8))
	plug := face.Face{Points: []face.Point{{"A-", "post", 0.1, 0.2}, {"A+", "post", 0.9, 0.2}},
		Connectors: []face.Connector{{Name: "C",
			Pins: face.Pins("X", 9), Rows: 2, Order: "rows", Key: "first", X: 0.5, Y: 0.7, Turn: 1}}}
	snake := plug
	snake.Connectors = []face.Connector{{Name: "C", Pins: face.Pins("X", 6), Rows: 2, Order: "zigzag", Key: "none",
		X: 0.4, Y: 0.5, Mirror: true}}
	solve := func(f face.Face) (any, error) {
		err := f.Check()
		if err != nil {
			return nil, err
		}
		posts, pins := f.Names()
		w, h := f.Size()
		var more []any
		for _, c := range f.Connectors {
			if c.Rows < 1 || c.Rows > 50 {
				continue
			}
			dx, dy := c.Offset(3)
			kx, ky, ok := c.KeyOffset()
			ew, eh := c.Extent()
			mx, my := f.Middle(c)
			more = append(more, []any{c.PerRow(), dx, dy, kx, ky, ok, ew, eh, mx, my})
		}
		return []any{posts, pins, w, h, f.Place(), f.Turned(1).Place(), f.Turned(3).Place(), f.Flipped().Place(),
			f.Lies("A+", "A-"), f.Lies("X2", "X7"), f.Lies("A-", "X1"), f.With([]string{"A-", "B"}, pins).Place(),
			more}, nil
	}
	golden.Judged(t, "face", []golden.Case[face.Face]{{Name: "plain", In: plain}, {Name: "a connector", In: plug,
		Words: true},
		{Name: "zigzag", In: snake}, {Name: "posts alone", In: face.Default([]string{"A-", "A+"}, nil)}}, solve)
}
