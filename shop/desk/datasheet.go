package desk

import (
	"context"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/grade"
	"pandrel/core/module/survey"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
)

// DataSheet is what goes with a module to whoever takes it: every figure with how it was got. Its JSON is described in
// docs/schema/module.schema.json; what is not known is left out.
type DataSheet struct {
	Schema       string         `json:"schema"`
	Number       string         `json:"number"`
	Type         string         `json:"type"`
	Chemistry    chem.ID        `json:"chemistry,omitempty"`
	Series       int            `json:"groups,omitempty"`
	RatedAh      float64        `json:"rated_ah,omitempty"`
	Supplier     string         `json:"supplier,omitempty"`
	ReceivedOn   string         `json:"received_on,omitempty"`
	Quarantined  string         `json:"quarantined,omitempty"`
	Hold         string         `json:"hold,omitempty"`
	Class        grade.Class    `json:"class,omitempty"`
	Fitness      grade.Fitness  `json:"fitness,omitempty"`
	FitFor       string         `json:"fit_for,omitempty"`
	Borderline   bool           `json:"borderline,omitempty"`
	SoHPct       *float64       `json:"soh_pct,omitempty"`
	Limits       int64          `json:"limits"`
	Capacity     *SheetCapacity `json:"capacity,omitempty"`
	ResistanceMO float64        `json:"resistance_mohm,omitempty"`
	Parts        []SheetPart    `json:"parts,omitempty"`
	Logs         []SheetLog     `json:"logs,omitempty"`
	Survey       *SheetSurvey   `json:"survey,omitempty"`
	Reasons      []SheetReason  `json:"reasons,omitempty"`
	Checked      string         `json:"checked"`
	NotChecked   string         `json:"not_checked"`
	RulesVersion string         `json:"rules_version"`
	MadeAt       time.Time      `json:"made_at"`
}

// SheetCapacity is the figure that counts with its conditions. HighAh is the upper end where gaps leave an interval.
type SheetCapacity struct {
	Ah            float64   `json:"ah"`
	UncertaintyAh float64   `json:"uncertainty_ah,omitempty"`
	HighAh        float64   `json:"high_ah,omitempty"`
	Complete      bool      `json:"complete"`
	ByHand        bool      `json:"by_hand"`
	EnergyWh      float64   `json:"energy_wh,omitempty"`
	Amps          float64   `json:"amps,omitempty"`
	CRate         float64   `json:"c_rate,omitempty"`
	TempC         *float64  `json:"temp_c,omitempty"`
	EndVolts      float64   `json:"end_v,omitempty"`
	TakenAt       time.Time `json:"taken_at"`
	OthersAh      []float64 `json:"other_results_ah,omitempty"`
}

// SheetPart is a part that was tested alone.
type SheetPart struct {
	From     int     `json:"from_group"`
	To       int     `json:"to_group"`
	Ah       float64 `json:"ah"`
	Complete bool    `json:"complete"`
}

// SheetLog is a log that is kept, with what names it beyond doubt.
type SheetLog struct {
	FileName   string    `json:"file_name"`
	Sha256     string    `json:"sha256"`
	UploadedAt time.Time `json:"uploaded_at"`
	Sign       string    `json:"current_sign"`
	Samples    int       `json:"samples"`
	CapacityAh float64   `json:"capacity_ah,omitempty"`
	Complete   bool      `json:"complete"`
	FirstGroup int       `json:"first_group_at_floor,omitempty"`
}

// SheetSurvey is the newest survey of the groups at rest.
type SheetSurvey struct {
	TakenAt time.Time      `json:"taken_at"`
	Verdict survey.Verdict `json:"verdict"`
	Volts   []float64      `json:"volts"`
	RestMin float64        `json:"rest_min,omitempty"`
}

// SheetReason is a reason of the grade: measured, limit, rule.
type SheetReason struct {
	Level    string   `json:"level"`
	Code     string   `json:"code"`
	Text     string   `json:"text"`
	Measured *float64 `json:"measured,omitempty"`
	Limit    *float64 `json:"limit,omitempty"`
	Unit     string   `json:"unit,omitempty"`
	Rule     string   `json:"rule"`
}

// SchemaName names the form of a data sheet; it changes when a key changes its meaning.
const SchemaName = "pandrel/module/1"

// DataSheet collects what is on record of a module for whoever takes it.
func (s *Room) DataSheet(ctx context.Context, number string) (d DataSheet, l Life, err error) {
	if l, err = s.Life(ctx, number); err != nil {
		return d, l, err
	}
	d = DataSheet{Schema: SchemaName, Number: l.Module.Number, Type: l.Type.Name, Chemistry: l.Type.Chemistry,
		RatedAh: record.RatedAh(l.Module, l.Type), Supplier: l.Lot.Supplier, ReceivedOn: l.Lot.ArrivedOn,
		Hold: l.Module.Hold, RulesVersion: kernel.RulesVersion, MadeAt: s.Now()}
	d.Checked, d.NotChecked = l.behind()
	if l.Module.Quarantined {
		d.Quarantined = l.Module.QuarantineWhy
	}
	lay, ok, err := s.Record.LayoutFor(ctx, l.Module, l.Type)
	if err != nil {
		return d, l, err
	}
	if ok {
		d.Series = lay.Series
	}
	if g := l.Grade; g != nil {
		d.Class, d.Fitness, d.FitFor, d.Borderline, d.Limits = g.Class, g.Fitness, g.FitFor, g.Borderline, g.Limits
		if g.SoH != nil {
			d.SoHPct = finding.Of(grade.Shown(*g.SoH * 100))
		}
		for _, f := range g.Reasons {
			d.Reasons = append(d.Reasons, SheetReason{f.Level.String(), f.Code, f.Text, f.Measured, f.Limit, f.Unit,
				f.Rule})
		}
	}
	if r := l.Result; r.CapacityAh > 0 {
		d.Capacity = &SheetCapacity{Ah: r.CapacityAh, UncertaintyAh: r.UncertaintyAh, HighAh: r.HighAh,
			Complete: r.Complete, ByHand: r.ByHand(), EnergyWh: r.EnergyWh, Amps: r.Amps, TempC: r.TempC,
			EndVolts: r.EndVolts, TakenAt: r.At, OthersAh: r.Others}
		if d.RatedAh > 0 {
			d.Capacity.CRate = r.Amps / d.RatedAh
		}
		d.ResistanceMO = r.ResistanceMOhm
	}
	for _, p := range l.PartTests {
		d.Parts = append(d.Parts, SheetPart{p.FromGroup, p.ToGroup, p.CapacityAh, p.Complete})
	}
	for _, t := range l.Logs {
		if t.Newer > 0 { // its newer reading is listed
			continue
		}
		x := SheetLog{FileName: t.FileName, Sha256: t.Sha256, UploadedAt: t.Came(), Sign: t.Result.Sign,
			Samples: t.Result.Samples, FirstGroup: t.EndedBy()}
		if c := t.Result.Capacity; c != nil {
			x.CapacityAh, x.Complete = c.Ah, c.Complete
		}
		d.Logs = append(d.Logs, x)
	}
	if len(l.Surveys) > 0 {
		v := l.Surveys[0]
		d.Survey = &SheetSurvey{TakenAt: v.TakenAt, Verdict: v.Result.Verdict, RestMin: max(0, v.RestMinutes)}
		for _, g := range v.Result.Groups {
			d.Survey.Volts = append(d.Survey.Volts, g.Volts)
		}
	}
	return d, l, nil
}
