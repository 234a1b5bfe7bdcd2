// Package energy says how long a bank carries loads, what a roof or an outage timetable gives back, and how long it may
// stand (rules §15 and §17).
package energy

import (
	"fmt"
	"math"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Days in each month of a year that is no leap year.
var monthDays = [12]float64{31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31}

// Load is one thing that draws. Watts or VA with its power factor; hours a day.
type Load struct {
	Name        string
	Watts       float64
	VA          float64 // where watts are not known
	PowerFactor float64 // 0 takes the range 0.5 to 1
	Hours       float64
	AC          bool // behind the inverter
}

// watts is what it draws, the least and the most.
func (l Load) watts() (low, high float64) {
	switch {
	case l.Watts > 0:
		return l.Watts, l.Watts
	case l.PowerFactor > 0:
		return l.VA * l.PowerFactor, l.VA * l.PowerFactor
	}
	return l.VA * 0.5, l.VA
}

// System is the bank and what hangs on it. Efficiency is the inverter's, 0…1; StandbyW is drawn all day.
type System struct {
	UsableKWh    float64
	UsableLowKWh float64 // where it is an interval, else 0
	Efficiency   float64 // 0 takes 0.90
	StandbyW     float64
	Loads        []Load
	ChargeMaxW   float64 // that the bank or its charger takes, 0 for no limit
	ChargeEff    float64 // of charger and cells, 0 takes 0.90
	PanelW       float64
	SunHours     []float64 // twelve, equivalent full hours a day; nil for none
	FrostShare   []float64 // of each month's sun hours in which charging is blocked by cold, 0…1; nil for none
	OffHours     float64   // of each outage
	OnHours      float64   // between two outages
	ChargerW     float64   // from the wall
	WhPerKm      float64   // of a vehicle or cart
}

const (
	defaultEfficiency = 0.90
	rule              = "rules §15"
)

// Month is how one month comes out, watt hours a day.
type Month struct {
	Month   int     `json:"month"`
	NeedWh  float64 `json:"need_wh"`
	GivesWh float64 `json:"gives_wh"`
	LastsD  float64 `json:"lasts_days"` // the bank beside what comes in; 0 where it is enough
}

// Answer is what the bank does.
type Answer struct {
	DayWhLow  float64           `json:"day_wh_low"`
	DayWhHigh float64           `json:"day_wh_high"`
	LoadWLow  float64           `json:"load_w_low"` // all of it at once, from the bank
	LoadWHigh float64           `json:"load_w_high"`
	HoursLow  float64           `json:"hours_low"` // all at once
	HoursHigh float64           `json:"hours_high"`
	DaysLow   float64           `json:"days_low"` // by the day
	DaysHigh  float64           `json:"days_high"`
	Months    []Month           `json:"months"`
	Failing   []int             `json:"failing_months"`
	OutageOK  *bool             `json:"outage_ok"`
	OutageWh  float64           `json:"outage_wh"`
	BackWh    float64           `json:"back_wh"` // between two outages
	Km        float64           `json:"km"`
	Findings  []finding.Finding `json:"findings"`
}

// filled is the system with what goes without saying, or why it cannot be.
func (s System) filled() (System, error) {
	if s.Efficiency == 0 {
		s.Efficiency = defaultEfficiency
	}
	if s.ChargeEff == 0 {
		s.ChargeEff = defaultEfficiency
	}
	if s.UsableLowKWh == 0 {
		s.UsableLowKWh = s.UsableKWh
	}
	for _, x := range []struct {
		name         string
		v, low, high float64
	}{{"usable energy", s.UsableKWh, 1e-4, 1e5}, {"its lower end", s.UsableLowKWh, 1e-4, s.UsableKWh + 1e-9},
		{"efficiency", s.Efficiency, 0.2, 1}, {"charge efficiency", s.ChargeEff, 0.2, 1}, {"standby", s.StandbyW,
			0, 1e5}, {"panel", s.PanelW, 0, 1e6}, {"outage hours", s.OffHours, 0, 1000}, {"hours between", s.OnHours,
			0, 1000}, {"charger", s.ChargerW, 0, 1e6}, {"charge limit", s.ChargeMaxW, 0, 1e6}, {"Wh per km",
			s.WhPerKm, 0, 1e5}} {
		if !(x.v >= x.low && x.v <= x.high) {
			return s, fmt.Errorf("%s %v: expected %.4g to %.4g", x.name, x.v, x.low, x.high)
		}
	}
	for _, l := range s.Loads {
		if !(l.Watts >= 0 && l.VA >= 0 && l.Hours >= 0 && l.Hours <= 24 && l.Watts < 1e6 && l.VA < 1e6 &&
			l.PowerFactor >= 0 && l.PowerFactor <= 1) {
			return s, fmt.Errorf("load %s: expected watts, or VA with a power factor of 0 to 1, and 0 to 24 "+
				"hours a day", l.Name)
		}
	}
	return s, s.checkMonths()
}

// checkMonths checks what is said of each month.
func (s System) checkMonths() error {
	for _, x := range []struct {
		name string
		list []float64
	}{{"sun hours", s.SunHours}, {"frost", s.FrostShare}} {
		name, list := x.name, x.list
		if len(list) != 0 && len(list) != 12 {
			return fmt.Errorf("%s: %s, expected one for each of twelve months", name, numeral.Count(len(list),
				"value"))
		}
		for _, v := range list {
			if !(v >= 0 && v <= 24) || name == "frost" && v > 1 {
				return fmt.Errorf("%s %v: expected hours a day, or a share of 0 to 1", name, v)
			}
		}
	}
	return nil
}

// Solve works it out.
func Solve(s System) (Answer, error) {
	s, err := s.filled()
	if err != nil {
		return Answer{}, err
	}
	a := Answer{Months: []Month{}, Failing: []int{}, Findings: []finding.Finding{}}
	a.LoadWLow, a.LoadWHigh, a.DayWhLow, a.DayWhHigh = s.StandbyW, s.StandbyW, 24*s.StandbyW, 24*s.StandbyW
	for _, l := range s.Loads {
		low, high := l.watts()
		if l.AC {
			low, high = low/s.Efficiency, high/s.Efficiency
		}
		a.LoadWLow, a.LoadWHigh = a.LoadWLow+low, a.LoadWHigh+high
		a.DayWhLow, a.DayWhHigh = a.DayWhLow+low*l.Hours, a.DayWhHigh+high*l.Hours
		if l.Watts == 0 && l.VA > 0 && l.PowerFactor == 0 {
			a.add(finding.New(finding.Note, codeVa).About(l.Name).Reads(l.VA, "VA").
				Says("%s: VA is not watts. Without a power factor %.0f VA may be %.0f to %.0f W.", l.Name, l.VA,
					l.VA*0.5, l.VA).
				Then("Measure it with a meter that shows watts."))
		}
	}
	if a.LoadWHigh > 0 {
		a.HoursLow, a.HoursHigh = s.UsableLowKWh*1000/a.LoadWHigh, s.UsableKWh*1000/a.LoadWLow
	}
	if a.DayWhHigh > 0 {
		a.DaysLow, a.DaysHigh = s.UsableLowKWh*1000/a.DayWhHigh, s.UsableKWh*1000/a.DayWhLow
	}
	s.months(&a)
	s.outage(&a)
	if s.WhPerKm > 0 {
		a.Km = s.UsableKWh * 1000 / s.WhPerKm
	}
	a.Findings = finding.Sorted(a.Findings)
	return a, nil
}

func (a *Answer) add(f finding.Finding) {
	a.Findings = append(a.Findings, f.Or("", rule).Rounded(func(v float64) float64 { return math.Round(v*10) / 10 }))
}

var monthNames = [12]string{"January", "February", "March", "April", "May", "June", "July", "August", "September",
	"October", "November", "December"}

// MonthName is the name of month m, 1 to 12.
func MonthName(m int) string { return monthNames[(m-1+12)%12] }

func (s System) months(a *Answer) {
	if len(s.SunHours) == 0 || s.PanelW == 0 {
		return
	}
	for m, sun := range s.SunHours {
		if len(s.FrostShare) == 12 {
			sun *= 1 - s.FrostShare[m]
		}
		w := s.PanelW
		if s.ChargeMaxW > 0 {
			w = min(w, s.ChargeMaxW)
		}
		x := Month{Month: m + 1, NeedWh: a.DayWhHigh, GivesWh: w * sun * s.ChargeEff}
		if short := x.NeedWh - x.GivesWh; short > 1e-9 {
			x.LastsD = s.UsableLowKWh * 1000 / short
			if x.LastsD < monthDays[m] {
				a.Failing = append(a.Failing, m+1)
			}
		}
		a.Months = append(a.Months, x)
	}
	worst := -1
	for i, x := range a.Months {
		if x.LastsD > 0 && (worst < 0 || x.LastsD < a.Months[worst].LastsD) {
			worst = i
		}
	}
	if len(a.Failing) > 0 {
		x := a.Months[worst]
		a.add(finding.New(finding.Caution, codeMonthFails).About(monthNames[worst]).
			Reads(x.GivesWh, "Wh a day").Against(x.NeedWh).
			Says("In %s %.0f Wh come in a day and %.0f Wh are needed: a full bank "+
				"lasts %.0f days.", monthNames[worst], x.GivesWh, x.NeedWh, x.LastsD).
			Then("More panel, less load, another source for that month, or a date to switch off."))
	}
	if s.ChargeMaxW > 0 && s.PanelW > s.ChargeMaxW {
		a.add(finding.New(finding.Note, codeChargeLimited).About("panel").Reads(s.PanelW, "W").Against(s.ChargeMaxW).
			Says("The bank takes %.0f W: what the panel gives above that is lost.", s.ChargeMaxW).
			Then("Nothing, or a bank that takes more."))
	}
}

func (s System) outage(a *Answer) {
	if s.OffHours <= 0 {
		return
	}
	a.OutageWh = a.LoadWHigh * s.OffHours
	w := s.ChargerW
	if s.ChargeMaxW > 0 {
		w = min(w, s.ChargeMaxW)
	}
	a.BackWh = w * s.ChargeEff * s.OnHours
	ok := a.OutageWh <= s.UsableLowKWh*1000 && (s.ChargerW == 0 || a.BackWh >= a.OutageWh)
	a.OutageOK = &ok
	if a.OutageWh > s.UsableLowKWh*1000 {
		a.add(finding.New(finding.Caution, codeOutageLong).About("outage").
			Reads(a.OutageWh, "Wh").Against(s.UsableLowKWh*1000).
			Says("An outage takes %.0f Wh, the bank gives %.0f Wh.", a.OutageWh, s.UsableLowKWh*1000).
			Then("Less load in an outage, or a larger bank."))
	}
	if s.ChargerW > 0 && a.BackWh < a.OutageWh {
		a.add(finding.New(finding.Caution, codeRechargeShort).About("charger").Reads(a.BackWh, "Wh").
			Against(a.OutageWh).
			Says("Between two "+
				"outages %.0f Wh come back of %.0f Wh: the bank runs down from one to the next.", a.BackWh, a.OutageWh).
			Then("A stronger charger, or less load."))
	}
}

// Draw is something that is always on while a switch state stands.
type Draw struct {
	Name      string
	MilliAmps float64
	Watts     float64
}

// Idle is a bank that stands: from a charge down to a floor, both 0…1 of Ah.
type Idle struct {
	Ah           float64
	Volts        float64 // nominal, for draws in watts
	From, Floor  float64
	SelfPctMonth float64 // self-discharge, per cent of capacity a month
	Draws        []Draw
}

// IdleAnswer is how long it stands.
type IdleAnswer struct {
	AhPerDay float64           `json:"ah_per_day"`
	Days     float64           `json:"days"` // infinite draws give 0
	Forever  bool              `json:"never_reached"`
	Largest  string            `json:"largest"`
	Findings []finding.Finding `json:"findings"`
}

// leastIdleDays is what a bank should stand without anybody thinking of it.
const leastIdleDays = 30.0

// Stand works out the days to the floor. Self-discharge is of the capacity, so that it does not slow down: the answer
// is rather too early than too late.
func Stand(i Idle) (IdleAnswer, error) {
	a := IdleAnswer{Findings: []finding.Finding{}}
	if !(i.Ah > 0 && i.Ah < 1e6 && i.Volts > 0 && i.Volts < 2000) {
		return a, fmt.Errorf("%v Ah at %v V: expected the capacity and the nominal volts", i.Ah, i.Volts)
	}
	if !(i.From >= 0 && i.From <= 1 && i.Floor >= 0 && i.Floor <= 1) {
		return a, fmt.Errorf("from %v to %v: expected 0 to 100 %%", i.From, i.Floor)
	}
	if !(i.SelfPctMonth >= 0 && i.SelfPctMonth <= 100) {
		return a, fmt.Errorf("self-discharge %v %% a month: expected 0 to 100", i.SelfPctMonth)
	}
	a.AhPerDay = i.Ah * i.SelfPctMonth / 100 / 30.44
	most := a.AhPerDay
	a.Largest = "self-discharge"
	for _, d := range i.Draws {
		if !(d.MilliAmps >= 0 && d.Watts >= 0 && d.MilliAmps < 1e7 && d.Watts < 1e5) {
			return a, fmt.Errorf("%s: expected milliamps or watts, 0 or more", d.Name)
		}
		x := d.MilliAmps/1000*24 + d.Watts/i.Volts*24
		if x > most {
			most, a.Largest = x, d.Name
		}
		a.AhPerDay += x
	}
	left := (i.From - i.Floor) * i.Ah
	switch {
	case left <= 0:
		a.Findings = append(a.Findings, finding.New(finding.Stop, codeBelowFloor).About("bank").
			Reads(i.From*100, "%").Against(i.Floor*100).By("rules §17").
			Says("It stands at or below the floor already.").
			Then("Recharge it now."))
	case a.AhPerDay <= 0:
		a.Forever = true
	default:
		a.Days = left / a.AhPerDay
		if a.Days < leastIdleDays {
			a.Findings = append(a.Findings, finding.New(finding.Caution,
				codeIdleShort).About(a.Largest).Reads(math.Round(a.Days*10)/10,
				"days").Against(leastIdleDays).By("rules §17").
				Says("Left alone it is at its floor in %.0f days; %s takes most.", a.Days, a.Largest).
				Then("Open the switch that stops it, or write the date down and recharge before."))
		}
	}
	return a, nil
}
