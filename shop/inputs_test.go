package shop_test

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/module/isolation"
	"pandrel/core/procedure/pack"
	"pandrel/core/procedure/standing"
	"pandrel/core/test/kind"
	"pandrel/demo/sample"
	"pandrel/golden"
	"pandrel/shop"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/test"
	"pandrel/shop/types"
)

// word is a text that is part of what is judged.
type word string

// refused is what is said of what was typed, field by field.
func refused(err error) (any, error) {
	var bad *kernel.Invalid
	switch {
	case err == nil:
		return word("taken"), nil
	case errors.As(err, &bad) && len(bad.Fields) > 0:
		out := map[string]word{}
		for k := range bad.Fields {
			out[k] = "refused"
		}
		return []any{out, bad.Fields}, nil
	}
	return nil, err
}

// What is typed is refused in its field where it cannot be: where that begins, number by number. One field of each is
// wrong already, so that nothing is saved on the way.
func TestWhereWhatIsTypedIsRefused(t *testing.T) {
	ctx, now := kernel.By(context.Background(), "AB"), time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	s := shop.New(sample.Open(t, now), func() time.Time { return now })
	n := 0
	token := func() string { n++; return fmt.Sprintf("refused%06d", n) }
	t.Run("type", func(t *testing.T) {
		golden.Judged(t, "typed-type", []golden.Case[types.TypeInput]{{Name: "no name",
			In: types.TypeInput{Chemistry: "nmc", RatedAh: 46, PlateSeries: 7, PlateVolts: 25.9, TabsSeen: 2,
				CellAh: 23, ModuleKg: 9, CellKg: 0.6, DischargeA: 90, PeakA: 180, ChargeA: 40, ChargePeakA: 60,
				FullVolts: 4.15, Posts: "A- A+"}}}, func(in types.TypeInput) (any, error) {
			in.Token = token()
			_, err := s.Types.SaveType(ctx, in)
			return refused(err)
		})
	})
	t.Run("lot", func(t *testing.T) {
		golden.Judged(t, "typed-lot", []golden.Case[receive.LotInput]{{Name: "no date",
			In: receive.LotInput{Supplier: "S", ArrivedOn: "x", Price: 900, Freight: 100, Pallets: 2,
				PalletFreight: 150, PalletHolds: 8, ClaimedSoHPct: 80}}}, func(in receive.LotInput) (any, error) {
			in.Token = token()
			_, err := s.Receive.SaveLot(ctx, in)
			return refused(err)
		})
	})
	t.Run("need", func(t *testing.T) {
		golden.Judged(t, "typed-need", []golden.Case[bank.NeedInput]{{Name: "no name",
			In: bank.NeedInput{Name: strings.Repeat("n", 500), Need: plan.Need{
				Need: window.Need{AbsMaxVolts: 60, ChargeMaxVolts: 57, CutoffVolts: 44, StartVolts: 46, LoadWatts: 900,
					WantedKWh: 4, Efficiency: 0.9, ChargeAmps: 30, PeakAmps: 80, Chemistry: "x"}}}}},
			func(in bank.NeedInput) (any, error) {
				in.Token = token()
				_, err := s.Bank.SaveNeed(ctx, in)
				return refused(err)
			})
	})
	t.Run("bms", func(t *testing.T) {
		golden.Judged(t, "typed-bms", []golden.Case[bank.DeviceInput]{{Name: "no name",
			In: bank.DeviceInput{Device: bms.Device{
				GroupsLow: 7, GroupsHigh: 16, ContinuousAmps: 60, PeakAmps: 120, ChargeAmps: 30, BalanceAmps: 0.1,
				TempSensors:   2,
				IdleMilliamps: 8, WakeVolts: 48}}}}, func(in bank.DeviceInput) (any, error) {
			in.Token = token()
			_, err := s.Bank.SaveDevice(ctx, in)
			return refused(err)
		})
	})
	t.Run("result", func(t *testing.T) {
		golden.Judged(t, "typed-result", []golden.Case[test.TypedInput]{{Name: "of no module",
			In: test.TypedInput{Number: "K-110", Result: kind.Result{CapacityAh: -1, EnergyWh: 900,
				ResistanceMOhm: 14, Amps: 12, EndVolts: 21.5, LowestEndVolts: 3.02, FromFull: true}}}},
			func(in test.TypedInput) (any, error) {
				in.Token = token()
				if in.CapacityAh > 0 {
					in.EndVolts = -1
				}
				return refused(s.Tests.RecordTyped(ctx, in))
			})
	})
	t.Run("modules", func(t *testing.T) {
		golden.Judged(t, "typed-modules", []golden.Case[receive.ModulesInput]{{Name: "no type",
			In: receive.ModulesInput{LotID: 1, TypeID: 99, First: "Q-1", Count: 3, PlateAh: 40,
				History: "clean"}}}, func(in receive.ModulesInput) (any, error) {
			in.Token = token()
			if in.TypeID > 0 && in.TypeID < 50 {
				in.First = ""
			}
			_, err := s.Receive.AddModules(ctx, in)
			return refused(err)
		})
	})
	t.Run("isolation", func(t *testing.T) {
		golden.Judged(t, "typed-isolation", []golden.Case[measure.IsolationInput]{{Name: "no volts",
			In: measure.IsolationInput{
				Number: "K-202", Readings: isolation.Readings{PackVolts: 26, PositiveVolts: 30,
					NegativeVolts: 2, MeterOhms: 1e7}}}}, func(in measure.IsolationInput) (any, error) {
			in.Token = token()
			_, fs, err := s.Measure.RecordIsolation(ctx, in)
			if err == nil {
				return fs, nil
			}
			return refused(err)
		})
	})
	t.Run("pack", func(t *testing.T) {
		golden.Judged(t, "typed-pack", []golden.Case[procedure.PackInput]{{Name: "no name",
			In: procedure.PackInput{Pack: pack.Pack{Volts: []float64{29, 29, 29}, DisconnectAfter: 1}}}},
			func(in procedure.PackInput) (any, error) {
				in.Token = token()
				_, err := s.Procedure.SavePack(ctx, in)
				return refused(err)
			})
	})
	t.Run("standing", func(t *testing.T) {
		golden.Judged(t, "typed-standing", []golden.Case[procedure.StandingInput]{{Name: "no name",
			In: procedure.StandingInput{Bank: standing.Bank{NominalVolts: 51, FullVolts: 58, Strings: 1,
				FloorVolts: 40, CapacitanceMF: 10, PrechargeOhms: 33}, Cells: standing.Cells{Series: 14,
				Chemistry: "nmc", Ah: 80}}}}, func(in procedure.StandingInput) (any, error) {
			in.Token = token()
			_, err := s.Procedure.SaveStanding(ctx, in)
			return refused(err)
		})
	})
}
