package module

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/module/capacity"
	"pandrel/shop/record"
	"pandrel/shop/undo"
	"pandrel/store"
	"pandrel/web/frame"
)

// recorded is something on record of a module that may be taken back as typed by mistake.
type recorded struct{ Value, Says string }

// doneWords say what comes after the last module of a kind of work.
var doneWords = map[string][2]string{"inspect": {"All looked at: survey next", "survey"},
	"survey": {"All surveyed: results next", "results"}}

// mayGoOn reports whether nothing of this module comes before the work on the next.
func (v *moduleView) mayGoOn() bool {
	return !v.Module.Quarantined && v.Module.Hold == "" && v.Bank == nil
}

// mistakes fills in what may be taken back of a module, what was, and whether it may be taken off the record.
func (sv *Room) mistakes(c *echo.Context, v *moduleView, f *frame.Form) error {
	add := func(kind string, id int64, format string, args ...any) {
		if !v.IsStruck(kind, id) {
			v.Records = append(v.Records, recorded{fmt.Sprintf("%s-%d", kind, id), fmt.Sprintf(format, args...)})
		}
	}
	const at = "2006-01-02 15:04"
	for _, x := range v.Surveys {
		add(record.StrikeSurvey, x.ID, "survey of %s by %s", sv.Shop.Here(x.TakenAt).Format(at), x.TakenBy)
	}
	for _, x := range v.Inspections {
		add(record.StrikeLook, x.ID, "look of %s by %s", sv.Shop.Here(x.SeenAt).Format(at), x.SeenBy)
	}
	for _, x := range v.Typed {
		add(record.StrikeTest, x.ID, "result of %s, %.1f Ah, by %s", sv.Shop.Here(x.Came()).Format(at), x.CapacityAh,
			x.By)
	}
	for _, x := range v.Logs {
		add(record.StrikeTest, x.ID, "log %s of %s", x.FileName, sv.Shop.Here(x.Came()).Format(at))
	}
	for _, x := range v.Sets {
		add(record.StrikeProbes, x.ID, "map readings of %s by %s", sv.Shop.Here(x.TakenAt).Format(at), x.TakenBy)
	}
	if err := sv.newest(c, v, add); err != nil {
		return err
	}
	for _, x := range v.Struck {
		v.Strikes = append(v.Strikes, x)
	}
	v.MayDelete = len(v.Records)+len(v.Strikes)+len(v.Sets)+len(v.Photos) == 0 && v.Bank == nil && v.Isolated == nil &&
		v.Checked == nil
	// What is wrong with this one comes before the next.
	if w, ok := doneWords[frame.Query(c, "done")]; ok && v.mayGoOn() {
		v.DoneAll, v.DoneHref = w[0], fmt.Sprintf("/lots/%d/%s", v.Lot.ID, w[1])
	}
	v.Strike = frame.Blank("strike", "by", frame.Who(c))
	if f != nil && f.Kind == "strike" {
		v.Strike = f
	}
	e, ok, err := sv.Shop.Record.EstimateOf(c.Request().Context(), v.Module, v.Type)
	if err == nil && ok && e.Provisional() && !v.Module.Quarantined { // nothing is tested, and nothing counted on it
		v.Estimate = &e
	}
	return err
}

// newest adds the records of which only the newest counts.
func (sv *Room) newest(c *echo.Context, v *moduleView, add func(kind string, id int64, format string,
	args ...any)) error {
	const at = "2006-01-02 15:04"
	if x := v.Checked; x != nil {
		add(record.StrikeCheck, x.ID, "quick check of %s by %s", sv.Shop.Here(x.TakenAt).Format(at), x.TakenBy)
	}
	if x := v.Isolated; x != nil {
		add(record.StrikeIsolation, x.ID, "reading against the case of %s by %s", sv.Shop.Here(x.TakenAt).Format(at),
			x.TakenBy)
	}
	if x := v.Part; x != nil {
		add(record.StrikeRead, x.ID, "reading in part of %s by %s", sv.Shop.Here(x.TakenAt).Format(at), x.TakenBy)
	}
	o, ok, err := sv.Shop.Measure.OpeningOf(c.Request().Context(), v.Module)
	if x := o.Last; err == nil && ok && x != nil {
		add(record.StrikeOpening, x.ID, "step of its opening of %s by %s", sv.Shop.Here(x.DoneAt).Format(at), x.DoneBy)
	}
	return err
}

// struckView is what the page shows of mistakes; it is part of the module's page.
type struckView struct {
	Records   []recorded
	Strikes   []store.Strike
	Strike    *frame.Form
	MayDelete bool
	DoneAll   string // the work that no other module waits for any more
	DoneHref  string
	Estimate  *capacity.Estimate // what it is taken to hold while it was never tested whole
}

// strike takes back what was typed by mistake.
func (sv *Room) strike(c *echo.Context) error {
	return sv.moduleForm(c, "strike", func(number string, f *frame.Form) frame.Act {
		kind, row, _ := strings.Cut(f.Get("row"), "-")
		id, err := strconv.ParseInt(row, 10, 64)
		if err != nil {
			f.Bads["row"] = "expected what is taken back"
		}
		in := undo.StrikeInput{Number: number, Kind: kind, RowID: id, Reason: f.Get("reason"), Token: f.Once()}
		return func() (string, error) {
			return frame.ModulePath(number), sv.Shop.Undo.Strike(c.Request().Context(), in)
		}
	})
}

// remove takes a module off the record on which nothing was ever measured.
func (sv *Room) remove(c *echo.Context) error {
	return sv.moduleForm(c, "strike", func(number string, f *frame.Form) frame.Act {
		return func() (string, error) {
			lot, err := sv.Shop.Undo.DeleteModule(c.Request().Context(), number, f.Once())
			return fmt.Sprintf("/lots/%d", lot), err
		}
	})
}
