package volts_test

import (
	"testing"

	"pandrel/core/bank/volts"
	"pandrel/core/base/chem"
	"pandrel/golden"
)

func TestWhereVoltsChange(t *testing.T) {
	type read struct {
		Bank  volts.Bank
		Volts float64
	}
	nmc := volts.Bank{Chemistry: chem.NMC, Series: 14, Ah: 60, MOhm10s: 30, Amps: 20, Accuracy: 0.01, RestMin: 30}
	lfp := volts.Bank{Chemistry: chem.LFP, Series: 8, Ah: 100, Accuracy: 0.02, RestMin: 5}
	golden.Judged(t, "from-volts", []golden.Case[read]{{Name: "NMC under load", In: read{nmc, 51.2}},
		{Name: "LFP soon after", In: read{lfp, 26.4}}, {Name: "charging", In: read{volts.Bank{Chemistry: chem.LMO,
			Series: 7, Ah: 30, Amps: -10, RestMin: 60}, 27}}, {Name: "LTO", In: read{volts.Bank{Chemistry: chem.LTO,
			Series: 20, RestMin: 60}, 46}}}, func(r read) (any, error) {
		st, err := volts.FromVolts(r.Bank, r.Volts)
		if err != nil {
			return nil, err
		}
		ohms, known := r.Bank.Ohms()
		return []any{st, volts.JudgeState(r.Bank, st), ohms, known}, nil
	})
	type window struct {
		Bank      volts.Bank
		Low, High float64
	}
	golden.Judged(t, "window", []golden.Case[window]{{Name: "NMC", In: window{nmc, 0.1, 0.9}}, {Name: "LFP",
		In: window{lfp, 0.2, 1}}}, func(w window) (any, error) { return volts.Window(w.Bank, w.Low, w.High) })
	golden.Judged(t, "window-of-volts", []golden.Case[window]{{Name: "NMC", In: window{nmc, 47, 56}},
		{Name: "LFP", In: window{lfp, 25.4, 27.2}}}, func(w window) (any, error) {
		r, err := volts.WindowOfVolts(w.Bank, w.Low, w.High)
		end, text := volts.Outside(w.Bank, w.Low, w.High)
		return []any{r, end, text}, err
	})
	type charge struct {
		Bank volts.Bank
		SoC  float64
	}
	golden.Judged(t, "from-charge", []golden.Case[charge]{{Name: "NMC", In: charge{nmc, 0.5}}, {Name: "LFP",
		In: charge{lfp, 0.97}}}, func(c charge) (any, error) { return volts.FromSoC(c.Bank, c.SoC) })
}
