package bank

import (
	"cmp"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"github.com/labstack/echo/v5"

	"pandrel/core/bank/bms"
	"pandrel/core/base/station"
	"pandrel/shop/bank"
	"pandrel/store"
	"pandrel/web/frame"
)

// devicesView is the BMS that may be chosen, with the form for one of the workshop's own.
type devicesView struct {
	Own    []ownDevice
	Others []bms.Device
	Form   *frame.Form
	ID     int64 // of the one that is changed, 0 for a new one
	Bank   string
}

type ownDevice struct {
	store.OwnDevice
	Device bms.Device
}

func (sv *Room) devices(c *echo.Context) error {
	return sv.showDevices(c, http.StatusOK, 0, frame.Blank("device", "by", frame.Who(c), "bank",
		frame.Query(c, "bank")))
}

func (sv *Room) device(c *echo.Context, id int64) error {
	row, err := sv.Shop.Bank.OwnDevice(c.Request().Context(), id)
	if err != nil {
		return err
	}
	d, err := row.Spec.Get()
	if err != nil {
		return err
	}
	f := frame.Blank("device", "by", frame.Who(c), "version", strconv.Itoa(row.Version), "name", d.Name, "note",
		row.Note, "groups_low", strconv.Itoa(d.GroupsLow), "groups_high", strconv.Itoa(d.GroupsHigh), "switch",
		d.Switch, "continuous_a", frame.Known(d.ContinuousAmps), "peak_a", frame.Known(d.PeakAmps), "charge_a",
		frame.Known(d.ChargeAmps), "balance_a", frame.Known(d.BalanceAmps), "idle_ma", frame.Known(d.IdleMilliamps),
		"unused", d.Unused, "stack_most", frame.Count(d.StackMost), "boards",
		strings.Trim(fmt.Sprint(d.BoardGroups), "[]"))
	set := func(name string, known bool, yes, no string) {
		switch {
		case !known:
		case yes != "":
			f.Values.Set(name, yes)
		default:
			f.Values.Set(name, no)
		}
	}
	set("frost", !d.FrostUnknown, map[bool]string{true: "yes"}[d.LowTempCutoff], "no")
	set("sensors", !d.SensorsUnknown, strconv.Itoa(d.TempSensors), "0")
	set("wake", !d.WakeUnknown, map[bool]string{true: "charger"}[d.WakeVolts > 0 || d.WakeCharger], "button")
	f.Values.Set("wake_v", frame.Known(d.WakeVolts))
	f.Values.Set("supply", d.Supply)
	f.Values.Set("charge_port", d.ChargePort)
	f.Values.Set("over_v", frame.Known(d.OverVolts))
	f.Values.Set("under_v", frame.Known(d.UnderVolts))
	if d.Stackable {
		f.Values.Set("stackable", "yes")
	}
	return sv.showDevices(c, http.StatusOK, id, f)
}

func (sv *Room) showDevices(c *echo.Context, code int, id int64, f *frame.Form) error {
	rows, err := sv.Shop.Bank.OwnDevices(c.Request().Context())
	if err != nil {
		return err
	}
	v := devicesView{Others: bms.Catalogue(), Form: f, ID: id, Bank: frame.Clip(f.Get("bank"), 12)}
	for _, r := range rows {
		d, err := r.Spec.Get()
		if err != nil {
			return err
		}
		v.Own = append(v.Own, ownDevice{r, d})
	}
	return sv.ShowAt(c, code, "bms", "Your own BMS", station.Wire, v)
}

// typedDevice is a device as it was typed from its data sheet; what was left empty is not known.
func typedDevice(f *frame.Form) bms.Device {
	d := bms.Device{Name: f.Get("name"), Switch: f.Get("switch"), GroupsLow: f.Whole("groups_low", 0),
		GroupsHigh: f.Whole("groups_high", 0), ContinuousAmps: f.Opt("continuous_a", 0), PeakAmps: f.Opt("peak_a", 0),
		ChargeAmps: f.Opt("charge_a", 0), BalanceAmps: f.Opt("balance_a", 0), IdleMilliamps: f.Opt("idle_ma", 0),
		Unused: f.Get("unused"), Stackable: f.Get("stackable") != "", StackMost: f.Whole("stack_most", 0),
		BoardGroups: boardGroups(f), LowTempCutoff: f.Get("frost") == "yes", FrostUnknown: f.Get("frost") == "",
		TempSensors:    f.Whole("sensors", 0),
		SensorsUnknown: f.Get("sensors") == "", WakeUnknown: f.Get("wake") == "", Supply: f.Get("supply"),
		ChargePort: f.Get("charge_port"), OverVolts: f.Opt("over_v", 0), UnderVolts: f.Opt("under_v", 0)}
	if len(d.BoardGroups) > 1 {
		d.Stackable, d.GroupsHigh = true, max(d.GroupsHigh, slices.Max(d.BoardGroups))
		d.GroupsLow = min(cmp.Or(d.GroupsLow, d.GroupsHigh), slices.Min(d.BoardGroups))
	}
	if f.Get("wake") == "charger" {
		d.WakeCharger, d.WakeVolts = true, f.Opt("wake_v", 0)
	}
	return d
}

// boardGroups are the groups of boards of unlike size, from the main negative up.
func boardGroups(f *frame.Form) (out []int) {
	for _, cell := range strings.FieldsFunc(f.Get("boards"), func(r rune) bool { return r < '0' || r > '9' }) {
		n, err := strconv.Atoi(cell)
		if err != nil || n < 1 || n > 400 {
			f.Bads["boards"] = "expected the groups of each board from the main negative up, such as 24, 16"
			return nil
		}
		out = append(out, n)
	}
	if len(out) == 1 {
		f.Bads["boards"] = "expected two boards or more, such as 24, 16; for one fill in its groups above"
	}
	return out
}

func (sv *Room) saveDevice(c *echo.Context) error {
	id, err := frame.OptionalID(c)
	if err != nil {
		return err
	}
	return frame.Post(c, "device", func(f *frame.Form) (frame.Act, error) {
		in := bank.DeviceInput{ID: id, Version: f.Whole("version", 0), Device: typedDevice(f), Note: f.Get("note"),
			Token: f.Once()}
		where := "/bms"
		if n, err := strconv.Atoi(f.Get("bank")); err == nil && n > 0 {
			where = fmt.Sprintf("/banks/%d#bms", n)
		}
		return func() (string, error) {
			_, err := sv.Shop.Bank.SaveDevice(c.Request().Context(), in)
			return where, err
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showDevices(c, code, id, f) })
}

// saveBankTest keeps a discharge of a whole bank.
func (sv *Room) saveBankTest(c *echo.Context) error {
	return sv.bankForm(c, "test", "#tests", func(id int64, f *frame.Form) func() error {
		in := f.BankTest()
		return func() error {
			_, err := sv.Shop.Procedure.RecordBankTest(c.Request().Context(), id, in, f.Once())
			return err
		}
	})
}

// deleteBank takes a need off the record that was never designed.
func (sv *Room) deleteBank(c *echo.Context, id int64) error {
	return frame.Post(c, "bank", func(f *frame.Form) (frame.Act, error) {
		return func() (string, error) {
			return "/station/design", sv.Shop.Bank.DeleteBank(c.Request().Context(), id, f.Whole("version", 0),
				f.Once())
		}, nil
	}, func(code int, f *frame.Form) error { return sv.showBank(c, code, id, f) })
}
