package shop_test

import (
	"strings"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/shop/bank"
)

// A watched module is let in by a reason in writing, which stays with it; a rejected one is not, whatever is written.
func TestWhatMayBeAllowedInWriting(t *testing.T) {
	r := newRig(t)
	r.graded(4)
	for number, ah := range map[string]float64{"K-003": 26, "K-004": 10} { // class C and D
		m, _, err := r.ModuleWithType(r.ctx, number)
		r.must(err)
		r.must(r.Store.DB.Exec("UPDATE modules SET capacity_ah = ?, class = ?, fitness = ? WHERE id = ?", ah,
			map[bool]string{true: "C", false: "D"}[ah > 20], map[bool]string{true: "watch", false: "reject"}[ah > 20],
			m.ID).Error)
	}
	sh, err := r.Bank.Shelf(r.ctx, nil)
	r.must(err)
	may := map[string]bool{}
	for _, o := range sh.Out {
		may[o.Number] = o.MayAllow
	}
	if len(sh.Out) != 2 || !may["K-003"] || may["K-004"] {
		t.Fatalf("left out: %+v", sh.Out)
	}
	b, err := r.Bank.SaveNeed(r.ctx, bank.NeedInput{Name: "B", Need: plan.Need{Need: window.Need{AbsMaxVolts: 92,
		ChargeMaxVolts: 88, CutoffVolts: 64}}, Token: r.token()})
	r.must(err)
	in := bank.DesignInput{BankID: b.ID, Version: 1, Key: "TRIKE-7|21|1|all", Style: "parallel-first",
		Allow: []string{"K-003"}, Token: r.token()}
	if _, err := r.Bank.DesignBank(r.ctx, in); err == nil {
		t.Error("let in without a reason")
	}
	in.Reason, in.Token = "its owner knows, and it stands beside two strong ones", r.token()
	d, err := r.Bank.DesignBank(r.ctx, in)
	r.must(err)
	if d.At("K-003") < 0 {
		t.Errorf("%v", d.Match.Positions)
	}
	m, _, err := r.ModuleWithType(r.ctx, "K-003")
	r.must(err)
	if !strings.Contains(m.Allowed, "its owner knows") {
		t.Errorf("kept: %q", m.Allowed)
	}
	in.BankID, in.Allow = b.ID, []string{"K-004"}
	if _, err := r.Bank.DesignBank(r.ctx, in); err == nil {
		t.Error("a rejected module was let in")
	}
}

func TestOwnDevices(t *testing.T) {
	r := newRig(t)
	made := r.cells(8, 24)
	r.planned(made.Bank.ID)
	save := func(d bms.Device) error {
		_, err := r.Bank.SaveDevice(r.ctx, bank.DeviceInput{Device: d, Token: r.token()})
		return err
	}
	r.must(save(bms.Device{Name: "mine", GroupsHigh: 16, Switch: bms.Relay}))
	r.must(save(bms.Device{Name: "watcher", GroupsHigh: 16, Switch: bms.Monitor}))
	if save(bms.Device{Name: "T8-100", GroupsHigh: 8}) == nil || save(bms.Device{Name: "MINE", GroupsHigh: 8}) == nil ||
		save(bms.Device{Name: "x", GroupsHigh: 8, GroupsLow: 9}) == nil {
		t.Error("a name that is taken, or a range that is none, was kept")
	}
	choose := func(name string) error {
		return r.Bank.ChooseBMS(r.ctx, made.Bank.ID, r.bankVersion(made.Bank.ID), name, r.token())
	}
	if err := choose("watcher"); !stoppedBy(err, "monitor-only") {
		t.Errorf("a monitor without a switch: %v", err)
	}
	// It does not stop below freezing: where it can freeze it is not taken, and while nobody was asked it is planned
	// with.
	r.must(r.Bank.AnswerFrost(r.ctx, made.Bank.ID, r.bankVersion(made.Bank.ID), true, r.token()))
	if err := choose("mine"); !stoppedBy(err, "no-frost-cutoff") {
		t.Errorf("without a frost cut-off: %v", err)
	}
	r.must(r.Bank.AnswerFrost(r.ctx, made.Bank.ID, r.bankVersion(made.Bank.ID), false, r.token()))
	r.must(choose("mine"))
	// What was chosen stays as it was known then.
	own, err := r.Bank.OwnDevices(r.ctx)
	r.must(err)
	_, err = r.Bank.SaveDevice(r.ctx, bank.DeviceInput{ID: own[0].ID, Version: 1, Device: bms.Device{Name: "mine",
		GroupsHigh: 4}, Token: r.token()})
	r.must(err)
	b, _, _, err := r.Bank.ByID(r.ctx, made.Bank.ID)
	r.must(err)
	if d, ok, err := r.Bank.DeviceOf(r.ctx, b); err != nil || !ok || d.GroupsHigh != 16 {
		t.Errorf("%+v %v %v", d, ok, err)
	}
}
