package receive

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"pandrel/core/base/station"
	"pandrel/core/module/survey"
	"pandrel/shop/desk"
	"pandrel/shop/record"
	"pandrel/store"
	"pandrel/web/frame"
)

// thread is where the work on a lot goes on from one of its pages, and what of it stays behind.
type thread struct {
	Lot  store.Lot
	Main bool      // nothing waits on this page: to go on is what is left to do
	Next []lotStep // the first is the next in the order of the work
	Odd  []oddOne
	More int // odd ones beside those named
}

// oddOne is a module that does not go on with the others, why, and what is done with it.
type oddOne struct {
	Number, Badge, Why, Href, Does string
	Held                           bool
}

// mostOdd is how many odd ones are named.
const mostOdd = 12

// works are what can be done for a whole lot at once, in the order of the work.
func (sv *Room) works(ctx context.Context, id int64) (out []lotStep, err error) {
	for _, b := range desk.Batches {
		_, n, _, err := sv.Shop.Record.InLotAt(ctx, id, b.At, 1)
		if err != nil {
			return nil, err
		}
		if n > 0 {
			out = append(out, lotStep{b.Page, lotPath(id, b.Page), fmt.Sprintf(b.Says, n)})
		}
		if b.At != station.Inspect {
			continue
		}
		first, err := sv.Shop.Desk.First(ctx, station.Map, id, 0) // one of them serves all of its type
		if err != nil {
			return nil, err
		}
		if first != "" {
			out = append(out, lotStep{"map", frame.ModulePath(first, "map"), "Map " + first})
		}
	}
	unlike, more, err := sv.Shop.Measure.ToCheck(ctx, id)
	if n := len(unlike) + more; n > 0 {
		out = append(out, lotStep{"check", lotPath(id, "check"), fmt.Sprintf("Check %d against their type", n)})
	}
	if err != nil {
		return nil, err
	}
	_, free, _, err := sv.Shop.Record.InLotAt(ctx, id, station.Design, 1)
	if free > 0 {
		out = append(out, lotStep{pageDesign, "/station/design", fmt.Sprintf("Make a bank: %d free", free)})
	}
	return out, err
}

// pageDesign is where what is graded goes on: not a page of its lot, since a bank is made of several.
const pageDesign = "design"

func lotPath(id int64, page string) string { return fmt.Sprintf("/lots/%d/%s", id, page) }

// threadOf is the thread seen from a page of a lot; waits is whether something still waits there.
func (sv *Room) threadOf(ctx context.Context, lot store.Lot, page string, waits bool) (t thread, err error) {
	t.Lot, t.Main = lot, !waits
	if t.Next, err = sv.works(ctx, lot.ID); err != nil {
		return t, err
	}
	rank := func(page string) int {
		return slices.IndexFunc(desk.Batches, func(b desk.Batch) bool { return b.Page == page })
	}
	here := rank(page)
	if here < 0 {
		here = rank("survey") // the check stands before it
	}
	t.Next = slices.DeleteFunc(t.Next, func(w lotStep) bool { return w.Page == page })
	// What comes after this page first, then what was left before it.
	ahead := func(w lotStep) bool {
		return rank(w.Page) >= here || w.Page == pageDesign || w.Page == "check" || w.Page == "map" &&
			here <= rank("survey")
	}
	t.Next = slices.Concat(slices.DeleteFunc(slices.Clone(t.Next), func(w lotStep) bool { return !ahead(w) }),
		slices.DeleteFunc(slices.Clone(t.Next), ahead))
	rows, more, err := sv.Shop.Desk.OddIn(ctx, lot.ID, desk.Batches[here].At, mostOdd)
	if err != nil {
		return t, err
	}
	t.More = more
	for _, r := range rows {
		t.Odd = append(t.Odd, oddOf(r))
	}
	return t, nil
}

// oddOf says of a module that stays behind why, and leads to what is done with it.
func oddOf(r record.Row) oddOne {
	o := oddOne{Number: r.Number, Why: r.Hold, Held: r.Hold != "", Href: frame.ModulePath(r.Number), Does: "Open"}
	if r.Verdict != survey.OK {
		o.Badge = string(r.Verdict)
	}
	to := func(page, does string) { o.Href, o.Does = frame.ModulePath(r.Number, page), does }
	switch {
	case r.Quarantined:
		o.Badge, o.Why = "quarantine", "It goes nowhere."
	case slices.Contains(survey.Waiting, r.Verdict):
		to("survey", "Read again")
	case slices.Contains(survey.Askew, r.Verdict):
		o.Why = cmp.Or(o.Why, r.Verdict.Doubt())
		to("survey", "Survey again")
	case r.Hold != "" || r.Verdict != "" && r.Verdict != survey.OK:
	case r.Station == station.Inspect:
		o.Why = "Not looked at."
		to("inspect", "Look")
	case r.Station == station.Map:
		o.Why = "Its type has no layout."
		to("map", "Map")
	case r.Station == station.Survey:
		o.Why = "Not surveyed."
		to("survey", "Survey")
	case r.Station == station.Test:
		o.Why = "Not tested."
		to("test", "Add a test")
	}
	return o
}
