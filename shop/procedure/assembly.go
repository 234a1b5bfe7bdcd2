package procedure

import (
	"context"

	"gorm.io/gorm"

	"pandrel/core/bank/plan"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/module/passage"
	"pandrel/core/procedure/assembly"
	"pandrel/core/procedure/gates"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/steps"
	"pandrel/store"
)

// Assembly is a bank as far as it was put together and signed for.
type Assembly struct {
	Bank    store.Bank
	Wiring  plan.Wiring
	Now     assembly.Now
	States  []gates.State
	Records []steps.Record
	Struck  []store.Strike

	work *steps.Work
}

// AssemblyOf returns the steps of a bank's build with what was signed of them.
func (s *Room) AssemblyOf(ctx context.Context, bankID int64) (Assembly, error) {
	b, n, d, w, err := s.wired(ctx, bankID)
	if err != nil {
		return Assembly{}, err
	}
	if len(w.Steps) == 0 {
		return Assembly{}, kernel.Bad("", "%s has nothing to build by yet: its modules surveyed, a BMS that "+
			"may be used, "+
			"and the steps follow", b.Name)
	}
	return s.assembly(s.Store.DB.WithContext(ctx), b, n, d, w)
}

func (s *Room) assembly(db *gorm.DB, b store.Bank, n plan.Need, d plan.Design, w plan.Wiring) (v Assembly, err error) {
	v = Assembly{Bank: b, Wiring: w, Now: assembly.Now{Netlist: w.Netlist, Steps: w.Steps, Done: map[string]bool{},
		TouchVolts: limits.TouchVolts(n.WetPlace), Covers: w.Covers, LeadsGood: map[string]bool{}}}
	checks, err := bank.SenseChecksIn(db, b)
	if err != nil {
		return v, err
	}
	for id, k := range checks {
		v.Now.LeadsGood[id] = k.Current && k.Judged.Proven()
	}
	v.work = &steps.Work{Kind: Build, ID: b.ID, Version: b.DesignVersion, Event: "build",
		About: kernel.About{Bank: b.ID},
		Named: true, Told: func(step string, value float64) []finding.Finding {
			return assembly.LooksLike(v.Now, step, value)
		}}
	v.work.May = func(tx *gorm.DB, step string) error {
		if err := s.Bank.BankMay(tx, b.ID, passage.Build); err != nil {
			return err
		}
		if err := s.peopleFirst(tx, b, n, d, w); err != nil {
			return err
		}
		if fs := assembly.May(v.Now, step); len(fs) > 0 {
			return kernel.Stopped(fs)
		}
		return nil
	}
	if err := v.work.Recall(db, func([]steps.Record) []gates.Step { return assembly.Steps(w.Steps) }); err != nil {
		return v, err
	}
	for _, st := range v.work.States {
		v.Now.Done[st.Key] = st.Done
	}
	v.States, v.Records, v.Struck = v.work.States, v.work.Records, v.work.Struck
	return v, nil
}

// peopleFirst holds the first bare part of a bank above the limit of touch until the gates of people are passed.
func (s *Room) peopleFirst(tx *gorm.DB, b store.Bank, n plan.Need, d plan.Design, w plan.Wiring) error {
	c, err := s.commission(tx, b, n, d, w)
	if err != nil || !c.Bank.High() {
		return err
	}
	st := gates.PeopleOpen(c.States)
	if st == nil {
		return nil
	}
	return kernel.Stopped([]finding.Finding{finding.New(finding.Stop, codePeopleFirst).About(st.Title).
		Reads(c.Bank.FullVolts, "V").Against(c.Bank.TouchVolts).By("hazards").
		Says("'%s' is not on record, and this bank reaches %.1f V.", st.Title, c.Bank.FullVolts).
		Then("The gates of people come before the first bare part.").At(finding.PlaceGates)})
}

const codePeopleFirst = "people-first"
