package draw_test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"pandrel/core/base/chart"
	"pandrel/core/working"
	"pandrel/draw"
)

// The pictures of the guide's page on workings are what the workings draw from their starting values.
func TestPicturesOfTheGuide(t *testing.T) {
	for _, key := range []string{"volts", "precharge", "join", "share", "balance", "screw", "load"} {
		w, ok := working.ByKey(key)
		if !ok {
			t.Fatal(key)
		}
		a, err := w.Solve(w.Example(), nil)
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		switch {
		case a.Chart != nil:
			got = draw.Chart(*a.Chart)
		case len(a.Stack) > 0:
			got = draw.Stack(w.Title, a.Stack)
		case a.Grid != nil:
			got = draw.Network(w.Title, *a.Grid)
		}
		wellFormed(t, key, got)
		file := filepath.Join("..", "docs", "guide", "pictures", key+".svg")
		if *update {
			if err := os.WriteFile(file, []byte(got), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		want, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		if got != string(want) {
			t.Errorf("%s draws another picture; look at it, then run with -update", key)
		}
	}
}

// A chart holds every point it was given, in order, and survives what has no width.
func TestCharts(t *testing.T) {
	line := chart.Chart{Title: "x", Curves: []chart.Curve{{Points: [][2]float64{{1, 1}, {10, 2}, {100, 0.5}}}},
		LogX: true, Marks: []chart.Mark{{Name: "limit", At: 3, Level: "stop"}}}
	s := draw.Chart(line)
	if strings.Count(s, "L") < 2 || !strings.Contains(s, "limit 3") {
		t.Errorf("%s", s)
	}
	for name, c := range map[string]chart.Chart{"nothing": {},
		"a point": {Curves: []chart.Curve{{Points: [][2]float64{{5, 5}}}}}, "all alike": {Bars: true,
			Labels: []string{"a", "b"}, Curves: []chart.Curve{{Points: [][2]float64{{0, 0}, {1, 0}}}}},
		"below zero": {Bars: true, Curves: []chart.Curve{{Points: [][2]float64{{0, -3}, {1, 2}}}}}} {
		if s := draw.Chart(c); strings.Contains(s, "NaN") || strings.Contains(s, "Inf") {
			t.Errorf("%s: %s", name, s)
		}
	}
	if draw.Stack("x", nil) != "" || draw.Chart(chart.Chart{}) != "" {
		t.Error("a picture of nothing")
	}
}

// The names of curves lie where they cover none, and two curves of one colour are told apart by their stroke.
func TestNamesOfCurves(t *testing.T) {
	c := chart.Chart{Title: "x", Curves: make([]chart.Curve, 6)}
	for i := range c.Curves {
		c.Curves[i].Name = fmt.Sprintf("group %d", i+1)
		for k := range 50 { // all at the top, but one that starts low
			c.Curves[i].Points = append(c.Curves[i].Points, [2]float64{float64(k), 4 - 0.01*float64(i)})
		}
	}
	c.Curves[0].Points[0][1] = 3
	s := draw.Chart(c)
	if strings.Count(s, "stroke-dasharray") != 4 { // two curves and their names
		t.Errorf("%d dashed", strings.Count(s, "stroke-dasharray"))
	}
	m := regexp.MustCompile(`y="([0-9.]+)"[^>]*>group 1<`).FindStringSubmatch(s)
	if m == nil {
		t.Fatal("no names")
	}
	if y, err := strconv.ParseFloat(m[1], 64); err != nil || y < 60 {
		t.Errorf("the names lie at %v, on the lines", m[1])
	}
}

func BenchmarkChart(b *testing.B) {
	w, _ := working.ByKey("join")
	a, err := w.Solve(w.Example(), nil)
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		draw.Chart(*a.Chart)
	}
}
