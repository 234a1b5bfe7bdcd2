package test

import (
	"net/http"
	"strconv"

	"github.com/labstack/echo/v5"

	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	shopgrade "pandrel/shop/grade"
	"pandrel/store"
	"pandrel/web/frame"
)

// limitsView is what the shop grades by.
type limitsView struct {
	Now      grade.Policy
	Usual    grade.Policy
	Version  int64
	History  []store.GradeLimits
	Form     *frame.Form
	Tried    bool
	Changed  []shopgrade.Changed
	Graded   int
	Looser   []string
	Standing int // those that stay where they are
}

func (sv *Room) limits(c *echo.Context) error { return sv.showLimits(c, http.StatusOK, nil) }

func (sv *Room) showLimits(c *echo.Context, code int, f *frame.Form) error {
	ctx := c.Request().Context()
	v := limitsView{Usual: sv.Shop.Policy.Grade, Form: f}
	var err error
	if v.Now, v.Version, err = sv.Shop.Limits(sv.Shop.Store.DB.WithContext(ctx)); err != nil {
		return err
	}
	if v.History, err = sv.Shop.Grade.LimitsHistory(ctx); err != nil {
		return err
	}
	if f == nil {
		pct := func(x float64) string { return strconv.FormatFloat(x*100, 'f', -1, 64) }
		v.Form = frame.Blank("limits", "by", frame.Who(c), "class_a", pct(v.Now.ClassA), "class_b", pct(v.Now.ClassB),
			"class_c", pct(v.Now.ClassC), "resistance", strconv.FormatFloat(v.Now.ResistanceCap, 'f', -1, 64),
			"version", strconv.FormatInt(v.Version, 10))
	} else if p := typedLimits(f); p.Check() == nil && p != v.Now {
		v.Tried = true
		if v.Changed, v.Graded, err = sv.Shop.Grade.WhatIf(ctx, p); err != nil {
			return err
		}
		v.Looser, v.Standing = p.Looser(v.Now), v.Graded-len(v.Changed)
	}
	return sv.ShowAt(c, code, "limits", "Limits of the classes", station.Grade, v)
}

// typedLimits are the limits of a form, per cent there.
func typedLimits(f *frame.Form) grade.Policy {
	return grade.Policy{ClassA: f.Num("class_a") / 100, ClassB: f.Num("class_b") / 100, ClassC: f.Num("class_c") / 100,
		ResistanceCap: f.Num("resistance")}
}

// saveLimits shows first what other limits would change, and saves them once a person has seen it.
func (sv *Room) saveLimits(c *echo.Context) error {
	f, err := frame.Read(c, "limits")
	if err != nil {
		return err
	}
	in := shopgrade.LimitsInput{Policy: typedLimits(f), Why: f.Get("why"), Token: f.Once(),
		Version: int64(f.Whole("version", 0))}
	if !f.Bad() && f.Get("sure") != "" {
		err := sv.Shop.Grade.SaveLimits(c.Request().Context(), in)
		if err == nil || frame.Again(err) {
			return frame.Saved(c, f, "/limits")
		}
		if err := f.Take(err); err != nil {
			return err
		}
	} else if err := f.Take(in.Checked()); err != nil {
		return err
	}
	code := http.StatusOK
	if f.Bad() {
		code = http.StatusUnprocessableEntity
	}
	return sv.showLimits(c, code, f)
}
