package exchange

import (
	"fmt"
	"slices"

	"pandrel/core/bank/join"
	"pandrel/core/bank/share"
	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
)

// most bounds what a file may ask to be worked out.
const mostBanks = 64

type bankJSON struct {
	ID        string   `json:"id"`
	Chemistry string   `json:"chemistry"`
	Series    int      `json:"series"`
	Ah        float64  `json:"ah"`
	SoC       *float64 `json:"soc"`
	RestVolts *float64 `json:"rest_v"`
	MOhm10s   float64  `json:"mohm_10s"`
}

type joinJSON struct {
	Banks    []bankJSON `json:"banks"`
	LinkMOhm float64    `json:"link_mohm"`
	Limits   struct {
		ChargeAmps    float64 `json:"charge_a"`
		DischargeAmps float64 `json:"discharge_a"`
		BMSAmps       float64 `json:"bms_a"`
		BMSPeakAmps   float64 `json:"bms_peak_a"`
		FuseAmps      float64 `json:"fuse_a"`
		CableAmps     float64 `json:"cable_a"`
	} `json:"limits"`
}

// ReadJoin reads banks that are to be joined, with the link and its limits.
func ReadJoin(data []byte) (in join.Input, notes []string, err error) {
	j, notes, err := readJSON[joinJSON](data, "banks, link_mohm and limits")
	if err != nil {
		return in, nil, err
	}
	if len(j.Banks) > mostBanks {
		return in, nil, fail(0, "%s: expected at most %d", numeral.Count(len(j.Banks), "bank"), mostBanks)
	}
	in = join.Input{LinkMOhm: j.LinkMOhm, Limits: join.Limits(j.Limits)}
	for i, b := range j.Banks {
		id, err := chem.Parse(b.Chemistry)
		if err != nil {
			return in, nil, fail(0, "bank %d: %v", i+1, err)
		}
		rest, err := oneState(b.SoC, b.RestVolts)
		if err != nil {
			return in, nil, fail(0, "bank %d: %v", i+1, err)
		}
		in.Banks = append(in.Banks, join.Bank{ID: b.ID, Chemistry: id, Series: b.Series, Ah: b.Ah, SoC: b.SoC,
			RestVolts: rest, MOhm10s: b.MOhm10s})
	}
	return in, notes, nil
}

// oneState is the rest voltage, where the charge is not given.
func oneState(soc, rest *float64) (float64, error) {
	switch {
	case soc != nil && rest != nil:
		return 0, fmt.Errorf("soc and rest_v: expected one of them")
	case rest != nil:
		return *rest, nil
	case soc == nil:
		return 0, fmt.Errorf("no soc and no rest_v: expected one of them")
	}
	return 0, nil
}

type stringJSON struct {
	ID            string   `json:"id"`
	Series        int      `json:"series"`
	Chemistry     string   `json:"chemistry"`
	Ah            float64  `json:"ah"`
	SoC           *float64 `json:"soc"`
	RestVolts     *float64 `json:"rest_v"`
	MOhm          float64  `json:"mohm"`
	LeadPlusMOhm  float64  `json:"lead_plus_mohm"`
	LeadMinusMOhm float64  `json:"lead_minus_mohm"`
	TripAmps      float64  `json:"trip_a"`
	ChargeAmps    float64  `json:"charge_trip_a"`
}

type shareJSON struct {
	Strings     []stringJSON `json:"strings"`
	Bus         string       `json:"bus"`
	StepMOhm    float64      `json:"bus_step_mohm"`
	LoadWatts   float64      `json:"load_w"`
	CutoffVolts float64      `json:"cutoff_v"`
	ChargerAmps float64      `json:"charger_a"`
}

// ReadShare reads strings in parallel with their bars and their load.
func ReadShare(data []byte) (in share.Input, notes []string, err error) {
	j, notes, err := readJSON[shareJSON](data, "strings, bus, bus_step_mohm, load_w and cutoff_v")
	if err != nil {
		return in, nil, err
	}
	if len(j.Strings) > mostBanks {
		return in, nil, fail(0, "%s: expected at most %d", numeral.Count(len(j.Strings), "string"), mostBanks)
	}
	in = share.Input{Bus: share.Bus(j.Bus), StepMOhm: j.StepMOhm, LoadWatts: j.LoadWatts, CutoffVolts: j.CutoffVolts,
		ChargerAmps: j.ChargerAmps}
	for i, s := range j.Strings {
		id, err := chem.Parse(s.Chemistry)
		if err != nil {
			return in, nil, fail(0, "string %d: %v", i+1, err)
		}
		rest, err := oneState(s.SoC, s.RestVolts)
		if err != nil {
			return in, nil, fail(0, "string %d: %v", i+1, err)
		}
		in.Strings = append(in.Strings, share.Line{ID: s.ID, Series: s.Series, Chemistry: id, Ah: s.Ah, SoC: s.SoC,
			RestVolts: rest, MOhm: s.MOhm, LeadPlusMOhm: s.LeadPlusMOhm, LeadMinusMOhm: s.LeadMinusMOhm,
			TripAmps: s.TripAmps, ChargeAmps: s.ChargeAmps})
	}
	return in, notes, nil
}

// ReadMissing reads how much each group lacks: group,missing_ah, or group,offset_ah against the others, where positive
// is fuller.
func ReadMissing(data []byte) (missing []float64, notes []string, err error) {
	t, err := readTable(data, []string{"group", "missing_ah", "offset_ah"}, 1)
	if err != nil {
		return nil, nil, err
	}
	seen := map[int]float64{}
	for i := range t.rows {
		g, span, err := t.groups(i)
		if err != nil {
			return nil, nil, err
		}
		if _, twice := seen[g]; twice || span > 1 {
			return nil, nil, fail(t.lines[i], "group %d: expected each group once and by itself", g)
		}
		v, ok, err := t.within(i, "missing_ah", -1e6, 1e6, "Ah")
		if err != nil {
			return nil, nil, err
		}
		if !ok {
			if v, ok, err = t.within(i, "offset_ah", -1e6, 1e6, "Ah"); err != nil {
				return nil, nil, err
			}
			v = -v
		}
		if !ok {
			return nil, nil, fail(t.lines[i], "group %d: expected missing_ah or offset_ah", g)
		}
		seen[g] = v
	}
	for g := 1; g <= len(seen); g++ {
		v, ok := seen[g]
		if !ok {
			return nil, nil, fail(0, "group %d is not listed: expected every group from 1", g)
		}
		missing = append(missing, v)
	}
	return slices.Clip(missing), t.notes, nil
}
