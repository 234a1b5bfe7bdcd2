package face_test

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"testing"

	"pandrel/core/module/face"
)

func sample() face.Face {
	f := face.Default([]string{"A-", "A+"}, face.Pins("X", 26))
	f.Connectors[0].X, f.Connectors[0].Key = 40, face.KeyLast
	return f
}

func near(a, b []face.Placed) bool {
	return slices.EqualFunc(a, b, func(x, y face.Placed) bool {
		return x.Name == y.Name && math.Abs(x.X-y.X) < 1e-6 && math.Abs(x.Y-y.Y) < 1e-6
	})
}

// Four quarter turns and two flips bring everything back, and no way of turning loses or renames a
// point or puts two in one place.
func TestTurnAndFlip(t *testing.T) {
	f := sample()
	if !near(f.Turned(4).Place(), f.Place()) || !near(f.Flipped().Flipped().Place(), f.Place()) {
		t.Error("four turns or two flips do not come back")
	}
	if !near(f.Turned(1).Flipped().Turned(1).Place(), f.Flipped().Place()) {
		t.Error("turn, flip, turn is not a flip: the mirror of a turn is wrong")
	}
	for q := range 4 {
		for _, g := range []face.Face{f.Turned(q), f.Turned(q).Flipped()} {
			if err := g.Check(); err != nil {
				t.Error(err)
			}
			places := g.Place()
			for i, p := range places {
				for _, o := range places[:i] {
					if math.Hypot(p.X-o.X, p.Y-o.Y) < 20 {
						t.Errorf("turned %d: %s and %s lie on each other", q, p.Name, o.Name)
					}
				}
			}
			w, h := g.Size()
			for _, p := range places {
				if p.X < 10 || p.Y < 10 || p.X > w-10 || p.Y > h-10 {
					t.Errorf("turned %d: %s lies at %.0f, %.0f outside %.0f × %.0f", q, p.Name, p.X, p.Y, w, h)
				}
			}
			posts, pins := g.Names()
			if len(posts) != 2 || len(pins) != 26 {
				t.Errorf("turned %d: %d posts, %d pins", q, len(posts), len(pins))
			}
		}
	}
}

// Turning clockwise by a quarter takes what lay on the right to below; flipping exchanges sides.
func TestWhereRedLies(t *testing.T) {
	f := face.Default([]string{"P1", "P2", "P3"}, nil)
	for _, c := range []struct {
		name string
		f    face.Face
		want string
	}{
		{"as it lies", f, face.Right}, {"turned once", f.Turned(1), face.Below},
		{"turned twice", f.Turned(2), face.Left}, {"turned thrice", f.Turned(3), face.Above},
		{"flipped", f.Flipped(), face.Left},
	} {
		t.Run(c.name, func(t *testing.T) {
			if got := c.f.Lies("P2", "P1"); got != c.want {
				t.Errorf("%s: %s", c.name, got)
			}
		})
	}
	if f.Lies("P1", "P1") != "" || f.Lies("P1", "Z") != "" {
		t.Error("a side where there is none")
	}
}

func TestPinsByRowAndByColumn(t *testing.T) {
	c := face.Connector{Pins: face.Pins("X", 6), Rows: 2, Order: face.ByRow}
	at := func(i int) [2]float64 { x, y := c.Offset(i); return [2]float64{x, y} }
	if at(0) != [2]float64{-1, -0.5} || at(2) != [2]float64{1, -0.5} || at(3) != [2]float64{-1, 0.5} {
		t.Errorf("by row: %v %v %v", at(0), at(2), at(3))
	}
	c.Order = face.ByColumn
	if at(1) != [2]float64{-1, 0.5} || at(2) != [2]float64{0, -0.5} {
		t.Errorf("by column: %v %v", at(1), at(2))
	}
}

func TestWhatCannotBeUsed(t *testing.T) {
	ok := sample()
	if err := ok.Check(); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		name  string
		spoil func(f *face.Face)
		says  string
	}{
		{"one post", func(f *face.Face) { f.Points = f.Points[:1] }, "2 to 40"},
		{"twice the same name", func(f *face.Face) { f.Points[1].Name = "X3" }, "twice"},
		{"a blank in a name", func(f *face.Face) { f.Points[0].Name = "A -" }, "without blanks"},
		{"the case's own word", func(f *face.Face) { f.Points[0].Name = "Case" }, "kept for the case"},
		{"outside", func(f *face.Face) { f.Points[0].X = 101 }, "0 to 100"},
		{"not a number", func(f *face.Face) { f.Connectors[0].Y = math.NaN() }, "0 to 100"},
		{"more rows than there may be", func(f *face.Face) { f.Connectors[0].Rows = 9 }, "rows"},
		{"no pins", func(f *face.Face) { f.Connectors[0].Pins = nil }, "pins"},
		{"too many pins", func(f *face.Face) { f.Connectors[0].Pins = face.Pins("Y", 200) }, "pins"},
		{"unknown kind", func(f *face.Face) { f.Points[0].Kind = "hook" }, "hook"},
		{"unknown key", func(f *face.Face) { f.Connectors[0].Key = "left" }, "key"},
		{"unknown order", func(f *face.Face) { f.Connectors[0].Order = "" }, "rows or columns"},
	} {
		t.Run(c.name, func(t *testing.T) {
			f := sample()
			c.spoil(&f)
			if err := f.Check(); err == nil || !strings.Contains(err.Error(), c.says) {
				t.Errorf("%s: %v", c.name, err)
			}
		})
	}
}

func ExampleDefault() {
	f := face.Default([]string{"A-", "A+"}, face.Pins("X", 4))
	for _, p := range f.Place() {
		fmt.Printf("%s %s %.0f %.0f\n", p.Kind, p.Name, p.X, p.Y)
	}
	// Output:
	// post A- 160 65
	// post A+ 480 65
	// pin X1 242 182
	// pin X2 294 182
	// pin X3 346 182
	// pin X4 398 182
}

// When the type's names change, what was placed stays where it was placed.
func TestWithOtherNames(t *testing.T) {
	f := sample()
	f.Points[1].X = 91
	g := f.With([]string{"A+", "B"}, append(face.Pins("X", 20), "Y1"))
	posts, pins := g.Names()
	if !slices.Equal(posts, []string{"A+", "B"}) || len(pins) != 21 || g.Points[0].X != 91 ||
		g.Connectors[0].X != 40 || len(g.Connectors) != 2 {
		t.Errorf("%v, %d pins, %+v", posts, len(pins), g.Connectors)
	}
	if err := g.Check(); err != nil {
		t.Error(err)
	}
	if _, pins := f.Names(); len(pins) != 26 {
		t.Error("the face it was made from changed")
	}
}
