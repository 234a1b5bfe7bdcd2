package share_test

import (
	"testing"

	"pandrel/core/bank/share"
	"pandrel/golden"
)

func TestWhereSharesChange(t *testing.T) {
	unlike := alike(2, share.End)
	unlike.Strings[1].Ah, unlike.Strings[1].MOhm, unlike.Strings[0].TripAmps = 80, 14, 45
	unlike.ChargerAmps = 60
	charged := alike(2, share.Diagonal)
	charged.LoadWatts, charged.ChargerAmps, charged.Strings[0].SoC = 0, 80, soc(0.6)
	var cases []golden.Case[share.Input]
	for _, b := range share.Buses() {
		in := alike(4, b)
		in.Strings[2].MOhm = 13
		cases = append(cases, golden.Case[share.Input]{Name: string(b), In: in})
	}
	solve := func(in share.Input) (any, error) { return share.Solve(in) }
	golden.Answers(t, "buses", append(cases, golden.Case[share.Input]{Name: "charged", In: charged}), solve)
	golden.Judged(t, "share", []golden.Case[share.Input]{{Name: "unlike", In: unlike}}, solve)
}
