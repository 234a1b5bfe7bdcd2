package trainer

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/finding"
	"pandrel/core/module/face"
	"pandrel/core/trainer/practice"
	"pandrel/draw"
	"pandrel/web/frame"
)

type practicesView struct{ Cases []practice.Case }

func (sv *Room) practices(c *echo.Context) error {
	return sv.Show(c, http.StatusOK, "practices", "Practise", practicesView{practice.Cases()})
}

// practiceView is one puzzle. The readings travel with the form: nothing is kept on the server.
type practiceView struct {
	Case     practice.Case
	Seed     uint64
	Points   []string // what a probe can touch, the case last
	Ends     []string // what can be an end
	AskCase  bool
	Face     string
	Form     *frame.Form
	Readings []practiceReading
	Last     *practiceReading
	Right    bool
	Judged   []finding.Finding
	Guided   int
	Truth    practice.Truth
	Inside   string // the truth, drawn as a ladder
}

type practiceReading struct {
	Red, Black string
	Volts      float64
}

func (sv *Room) practice(c *echo.Context) error {
	seed, err := strconv.ParseUint(frame.Query(c, "seed"), 10, 32)
	if err != nil {
		seed = uint64(rand.Uint32N(1_000_000))
	}
	return sv.showPractice(c, http.StatusOK, frame.Blank("practice", "seed", fmt.Sprint(seed)), false)
}

// practiceStep takes a reading, or judges the answer.
func (sv *Room) practiceStep(c *echo.Context) error {
	f, err := frame.Read(c, "practice")
	if err != nil {
		return err
	}
	return sv.showPractice(c, http.StatusOK, f, f.Get("answer") != "")
}

// maxPracticeReadings bounds what travels with the form.
const maxPracticeReadings = 200

func (sv *Room) showPractice(c *echo.Context, code int, f *frame.Form, judge bool) error {
	seed, err := strconv.ParseUint(f.Get("seed"), 10, 32)
	if err != nil {
		seed = 1
	}
	p, err := practice.New(c.Param("case"), seed)
	if err != nil {
		return echo.ErrNotFound
	}
	v := practiceView{Case: p.Case, Seed: seed, Points: append(p.Points(), practice.CasePoint), Ends: p.Points(),
		AskCase: p.AskIsolation, Form: f, Guided: p.Guided()}
	for _, line := range strings.Split(f.Get("log"), "\n") {
		if w := strings.Fields(line); len(w) == 2 && len(v.Readings) < maxPracticeReadings {
			if volts, err := p.Read(w[0], w[1], len(v.Readings)); err == nil {
				v.Readings = append(v.Readings, practiceReading{w[0], w[1], volts})
			}
		}
	}
	red, black := f.Get("red"), f.Get("black")
	if f.Get("take") != "" {
		if volts, err := p.Read(red, black, len(v.Readings)); err != nil {
			f.Bads[""] = err.Error()
		} else {
			v.Readings = append(v.Readings, practiceReading{red, black, volts})
		}
	}
	if n := len(v.Readings); n > 0 {
		v.Last = &v.Readings[n-1]
	}
	var log strings.Builder
	for _, r := range v.Readings {
		fmt.Fprintf(&log, "%s %s\n", r.Red, r.Black)
	}
	f.Values.Set("log", log.String())
	if judge {
		a := practice.Answer{Series: f.Whole("series", 0), Negative: f.Get("negative"), Positive: f.Get("positive"),
			OddGroup: f.Whole("odd", 0), Isolated: f.Get("isolated")}
		v.Right, v.Judged = p.Judge(a, len(v.Readings))
		v.Truth = p.Truth
		v.Inside = inside(p)
	}
	v.Face = draw.Face("Face of the practice module", face.Default(p.Posts, p.Pins),
		draw.FaceMarks{Red: red, Black: black, Case: true})
	return sv.Show(c, code, "practice", "Practise: "+p.Case.Title, v)
}

// inside draws the module as it is.
func inside(p practice.Puzzle) string {
	points, volts := p.Inside()
	l := draw.Ladder{Title: "The module as it is"}
	at := 0.0
	for i, list := range points {
		l.Rungs = append(l.Rungs, draw.Rung{Points: list, Volts: at, Hidden: len(list) == 0})
		if i < len(volts) {
			b := draw.Block{Label: fmt.Sprintf("group %d", i+1), Volts: volts[i]}
			if p.Truth.OddGroup == i+1 {
				b.Verdict = "suspect"
			}
			l.Blocks = append(l.Blocks, b)
			at += volts[i]
		}
	}
	return l.SVG()
}
