package shop_test

import (
	"testing"

	"pandrel/shop/receive"
)

func TestFreightByThePallet(t *testing.T) {
	r := newRig(t)
	in := receive.LotInput{Supplier: "Yard", ArrivedOn: "2026-11-02", Price: 400, Pallets: 2, PalletFreight: 95,
		PalletHolds: 16, ClaimedSoHPct: 85, Token: r.token()}
	lot, err := r.Receive.SaveLot(r.ctx, in)
	if err != nil || lot.Freight != 190 {
		t.Fatalf("%v %v", lot.Freight, err)
	}
	_, err = r.Receive.AddModules(r.ctx, receive.ModulesInput{LotID: lot.ID, TypeID: r.typ.ID, First: "Y-01",
		Count: 20, Token: r.token()})
	r.must(err)
	lots, err := r.Desk.Lots(r.ctx)
	r.must(err)
	if c := lots[0].Costs; c.PerModule != 29.5 || c.FullPerModule != 400.0/20+95.0/16 {
		t.Errorf("%+v", c)
	}
	in.Freight, in.Token = 50, r.token()
	if _, err := r.Receive.SaveLot(r.ctx, in); !invalid(err, "freight") {
		t.Errorf("two freights: %v", err)
	}
	in.Freight, in.Pallets, in.Token = 0, 0, r.token()
	if _, err := r.Receive.SaveLot(r.ctx, in); !invalid(err, "pallets") {
		t.Errorf("per pallet without pallets: %v", err)
	}
}
