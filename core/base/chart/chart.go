// Package chart is what a picture of numbers shows: curves over an axis, parts of a stack, a network of equal parts.
// What works a number out fills it; the drawing is made elsewhere.
package chart

// Curve is a line of a chart.
type Curve struct {
	Name   string       `json:"name"`
	Points [][2]float64 `json:"points"`
}

// Mark is a level of a chart that means something.
type Mark struct {
	Name  string  `json:"name"`
	At    float64 `json:"at"`
	Level string  `json:"level"` // plain, caution, stop
}

// Chart is curves over one axis; LogX has it in powers of ten. Bars draws the first curve as bars.
type Chart struct {
	Title  string  `json:"title"`
	X      string  `json:"x"`
	Y      string  `json:"y"`
	LogX   bool    `json:"log_x"`
	Bars   bool    `json:"bars"`
	Curves []Curve `json:"curves"`
	Marks  []Mark  `json:"marks"` // of the upright axis
	Band   [2]float64
	Labels []string `json:"labels,omitempty"` // of bars
}

// OfBars is a chart of one bar for each value, with its label below it.
func OfBars(title, x, y string) *Chart {
	return &Chart{Title: title, X: x, Y: y, Bars: true, Curves: []Curve{{Name: y}}}
}

// At marks a level of the upright axis.
func (c *Chart) At(name string, v float64, level string) {
	c.Marks = append(c.Marks, Mark{Name: name, At: v, Level: level})
}

// Bar adds a bar.
func (c *Chart) Bar(label string, v float64) {
	at := float64(len(c.Labels))
	c.Curves[0].Points = append(c.Curves[0].Points, [2]float64{at, v})
	c.Labels = append(c.Labels, label)
}

// Layer is one part of a stack, from the top down.
type Layer struct {
	Name string  `json:"name"`
	MM   float64 `json:"mm"`
	Kind string  `json:"kind"` // screw, washer, ring, bar, thread, gap
}

// Grid is a network of s in series by p in parallel.
type Grid struct {
	Series   int    `json:"series"`
	Parallel int    `json:"parallel"`
	Each     string `json:"each"`
}
