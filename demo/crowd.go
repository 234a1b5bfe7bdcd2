package demo

import (
	"context"
	"fmt"
	"time"

	"gorm.io/gorm"

	"pandrel/core/base/station"
	"pandrel/core/module/survey"
	"pandrel/store"
)

// Crowd adds n modules to lot, each with a survey, to the sample workshop: what a large one holds after years. It is
// for measuring, and writes rows as they are kept, without judging them.
func Crowd(ctx context.Context, st *store.Store, lot int64, n int, now time.Time) error {
	at := []station.Station{station.Inspect, station.Map, station.Survey, station.Test, station.Grade, station.Design,
		station.Out}
	return st.Write(ctx, func(tx *gorm.DB) error {
		mods := make([]store.Module, n)
		for i := range mods {
			mods[i] = store.Module{Number: fmt.Sprintf("Z-%05d", i), LotID: lot, TypeID: int64(1 + i%3),
				Station: at[i%len(at)], StationSince: now.Add(-time.Duration(i) * time.Minute), Verdict: "ok",
				Fitness: "accept", CapacityAh: 40, Version: 1, CreatedAt: now}
		}
		if err := tx.CreateInBatches(&mods, 500).Error; err != nil {
			return err
		}
		events, surveys := make([]store.Event, n), make([]store.Survey, n)
		for i := range mods {
			id := mods[i].ID
			events[i] = store.Event{At: now, Who: "AK", Kind: "survey", ModuleID: &id, Text: "Surveyed"}
			surveys[i] = store.Survey{ModuleID: id, TakenBy: "AK", TakenAt: now, Token: fmt.Sprint("crowd", i)}
		}
		if err := tx.CreateInBatches(&events, 500).Error; err != nil {
			return err
		}
		if err := tx.CreateInBatches(&surveys, 500).Error; err != nil {
			return err
		}
		var readings []store.SurveyReading
		var results []store.SurveyResult
		for _, s := range surveys {
			results = append(results, store.SurveyResult{SurveyID: s.ID, Verdict: "ok",
				Result: store.JSONOf(survey.Result{Verdict: survey.OK})})
			for g := 1; g <= 7; g++ {
				readings = append(readings, store.SurveyReading{SurveyID: s.ID, GroupNo: g, Volts: 3.7, AsTyped: "3,7"})
			}
		}
		if err := tx.CreateInBatches(&results, 500).Error; err != nil {
			return err
		}
		return tx.CreateInBatches(&readings, 1000).Error
	})
}
