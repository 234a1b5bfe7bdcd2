package bms_test

import (
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/golden"
)

func TestWhereBMSChoicesChange(t *testing.T) {
	need := bms.Need{Groups: 14, Chemistry: chem.NMC, LoadAmps: 40, PeakAmps: 90, ChargeAmps: 20, CapacityAh: 80,
		FreezesHere: true, DriftAhDay: 0.02, Count: 1}
	borders := need
	borders.Borders = []int{7}
	eight := bms.Need{Groups: 8, Chemistry: chem.LFP, LoadAmps: 60, ChargeAmps: 30, CapacityAh: 200, Count: 2}
	golden.Judged(t, "choose", []golden.Case[bms.Need]{{Name: "14 NMC where it freezes", In: need},
		{Name: "two modules of 7", In: borders}, {Name: "8 LFP, two of them", In: eight}, {Name: "22 groups",
			In: bms.Need{Groups: 22, Chemistry: chem.LFP, LoadAmps: 20, Count: 1, Borders: []int{4, 8, 12, 16, 20}}}},
		func(n bms.Need) (any, error) {
			list, err := bms.Choose(n, bms.Catalogue())
			if n.Groups > 300 {
				return len(list), err
			}
			return struct {
				Choices []bms.Choice
				Design  float64
				Words   string
			}{list, n.DesignAmps(), bms.Wanted(n)}, err
		})
	own := bms.Device{Name: "own", Own: true, Switch: "contactor", GroupsLow: 7, GroupsHigh: 16, ContinuousAmps: 60,
		PeakAmps: 120, ChargeAmps: 30, BalanceAmps: 0.1, LowTempCutoff: true, TempSensors: 2, IdleMilliamps: 8,
		Programmable: true, Chemistries: []chem.ID{chem.NMC}, WakeVolts: 48}
	unknown := bms.Device{Name: "unknown", Own: true, GroupsLow: 14, GroupsHigh: 14, FrostUnknown: true,
		SensorsUnknown: true, WakeUnknown: true}
	stack := bms.Device{Name: "boards", Own: true, Stackable: true, StackMost: 3, GroupsLow: 4, GroupsHigh: 8,
		Unused: "top", Switch: "none", ContinuousAmps: 100}
	golden.Judged(t, "own", []golden.Case[bms.Device]{{Name: "contactor", In: own}, {Name: "hardly known", In: unknown},
		{Name: "boards along the string", In: stack}}, func(d bms.Device) (any, error) {
		list, err := bms.Choose(need, []bms.Device{d})
		field, text := d.Check()
		if d.StackMost > 400 {
			return nil, nil
		}
		return []any{list, field, text, d.Wake(), d.Boards(14, []int{7}), d.Boards(14, nil)}, err
	})
}

func TestWhereSettingsChange(t *testing.T) {
	plan := bms.Plan{Groups: 14, Chemistry: chem.NMC, CapacityAh: 80, LoadAmps: 40, ChargeAmps: 20,
		ChargeSettingVolts: 56.7,
		TripVolts:          59, CutoffVolts: 44, ChargeLimitAmps: 30, FreezesHere: true, LowAh: 74}
	boards := plan
	boards.Boards = []int{7, 7}
	lfp := bms.Plan{Groups: 8, Chemistry: chem.LFP, CapacityAh: 200, LoadAmps: 60, ChargeSettingVolts: 28}
	devices := bms.Catalogue()
	golden.Judged(t, "settings", []golden.Case[bms.Plan]{{Name: "14 NMC", In: plan}, {Name: "boards", In: boards},
		{Name: "8 LFP", In: lfp}}, func(p bms.Plan) (any, error) {
		type told struct {
			Settings []bms.Setting
			Findings []finding.Finding
			Amps     float64
		}
		var all []told
		for _, k := range []int{0, len(devices) - 1} {
			list, err := bms.Settings(devices[k], p)
			if err != nil {
				return nil, err
			}
			all = append(all, told{list, bms.CheckSettings(devices[k], p), p.ChargeAmpsLimit(devices[k])})
		}
		return all, nil
	})
}
