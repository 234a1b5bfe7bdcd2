package shop_test

import (
	"context"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/base/station"
	"pandrel/core/module/grade"
	"pandrel/core/module/passage"
	"pandrel/demo/sample"
	"pandrel/golden"
	"pandrel/shop"
	"pandrel/shop/bench"
	"pandrel/shop/record"
	"pandrel/shop/working"
	"pandrel/store"
)

// answers collects what a workshop says to a question, or why it does not.
type answers struct {
	b strings.Builder
}

func (a *answers) to(question string, said ...any) {
	a.b.WriteString("## " + question + "\n")
	for _, s := range said {
		if err, ok := s.(error); ok {
			a.b.WriteString("error: " + err.Error() + "\n")
		} else if s != nil {
			a.b.WriteString(golden.Text(s))
		}
	}
}

// What the sample workshop answers to each question that the pages ask: of its modules, lots, types, banks and tests.
func TestWhatTheSampleWorkshopAnswers(t *testing.T) {
	ctx, now := context.Background(), time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	st := sample.Open(t, now)
	s := shop.New(st, func() time.Time { return now })
	db := st.DB.WithContext(ctx)

	var modules []store.Module
	if err := db.Order("number").Find(&modules).Error; err != nil {
		t.Fatal(err)
	}
	types := map[int64]store.ModuleType{}
	var rows []store.ModuleType
	if err := db.Find(&rows).Error; err != nil {
		t.Fatal(err)
	}
	for _, r := range rows {
		types[r.ID] = r
	}
	var known, bench answers
	for i, m := range modules {
		if i%3 != 0 && m.Number != "K-128" && m.Number != "K-201" {
			continue
		}
		ty := types[m.TypeID]
		known.b.WriteString("# " + m.Number + "\n")
		e, ok, err := s.Record.EstimateOf(ctx, m, ty)
		known.to("estimate", e, ok, err)
		at, err := s.Record.StationOf(db, m, ty)
		known.to("station", string(at), err)
		for a := passage.Measure; a <= passage.Service; a++ {
			fs, err := s.Record.MayNow(ctx, m, ty, a)
			known.to("may be "+a.String(), fs, err)
		}
		test, err := s.Record.CountsFor(ctx, m)
		known.to("test", test, err)
		ah, lacks, err := s.Record.Waits(ctx, m)
		known.to("waits", ah, lacks, err)
		ev, err := s.Record.Evidence(db, m, ty)
		known.to("evidence", ev, err)
		tests, err := record.TestsOf(db, m, ty)
		known.to("ended", record.Ended(tests), err)
		volts, err := s.Record.VoltsOf(ctx, m.ID)
		known.to("volts", volts, err)
		g, err := s.Grade.PreviewGrade(ctx, m, ty)
		known.to("grade", g, err)
		uses, err := s.Grade.NextUse(ctx, m, ty, g)
		known.to("next use", uses, err)
		pallet, err := s.Desk.PalletOf(ctx, m)
		known.to("pallet", pallet, err)
		bench.b.WriteString("# " + m.Number + "\n")
		p, why, err := s.Bench.PlanOf(ctx, m, ty, "")
		bench.to("plan", p, why, err)
		troubles, err := s.Tests.TestTroubles(ctx, m.ID)
		bench.to("troubles", troubles, err)
		grown, logs, err := s.Bench.GrowthOf(ctx, m)
		bench.to("growth", grown, logs, err)
		place, err := s.Working.At(ctx, working.From{Kind: "module", Name: m.Number})
		bench.to("workings", place.Filled, err)
	}
	sched, err := s.Tests.Schedule(ctx)
	bench.to("schedule", sched, err)
	golden.Same(t, "answers-modules", known.b.String())
	golden.Same(t, "answers-bench", bench.b.String())

	var lists answers
	for id := int64(1); id <= 5; id++ {
		c, err := s.Record.LotCoverage(ctx, id)
		lists.to("coverage of a lot", c, err)
		f, err := s.Desk.FiguresOf(ctx, "lot_id", id)
		lists.to("figures of a lot", f, err)
		if lot, err := s.Record.Lot(ctx, id); err == nil {
			claim, ok, err := s.Desk.LotClaim(ctx, lot)
			lists.to("claim", claim, ok, err)
		}
		ms, err := s.Record.Family(ctx, "lot", id)
		lists.to("family", len(ms), err)
		if ty, ok := types[id]; ok {
			f, err := s.Desk.FiguresOf(ctx, "type_id", id)
			lists.to("figures of "+ty.Name, f, err)
			in, _, out, err := s.Record.Planned(db, ty)
			lists.to("planned of "+ty.Name, len(in), out, err)
			plan, err := s.Measure.CheckPlan(ctx, ty)
			lists.to("check of "+ty.Name, plan, err)
			dead, err := s.Measure.DeadPins(ctx, ty)
			lists.to("dead pins of "+ty.Name, dead, err)
			lead, ok, err := s.Measure.ProposeLead(ctx, ty)
			lists.to("lead of "+ty.Name, lead, ok, err)
			vs, told, err := s.Types.VariantsOf(ctx, ty)
			lists.to("variants of "+ty.Name, vs, told, err)
		}
	}
	path, err := s.Desk.Path(ctx)
	lists.to("path", path, err)
	for _, at := range station.Path {
		next, err := s.Desk.NextModule(ctx, at, "")
		after, aerr := s.Desk.NextModule(ctx, at, next)
		lists.to("next at "+string(at), next, after, err, aerr)
	}
	today, err := s.Desk.Today(ctx)
	lists.to("today", today, err)
	stock, err := s.Desk.Stock(ctx)
	lists.to("stock", stock, err)
	loose := grade.DefaultPolicy
	loose.ClassA, loose.ClassB = 70, 55
	what, n, err := s.Grade.WhatIf(ctx, loose)
	lists.to("what if", what, n, err)
	doubted, err := s.Procedure.DoubtedInService(ctx)
	lists.to("doubted in service", doubted, err)
	golden.Same(t, "answers-lists", lists.b.String())

	var banks answers
	for id := int64(1); id <= 4; id++ {
		b, need, d, err := s.Bank.ByID(ctx, id)
		if err != nil || d == nil {
			banks.to("bank", b.Name, err)
			continue
		}
		banks.b.WriteString("# " + b.Name + "\n")
		w, err := s.Bank.PlanWiring(ctx, b, need, *d)
		banks.to("wiring", w.Report.Findings, w.Report.IntoService, w.Expected, w.Assumed, err)
		dev, set, err := s.Bank.SettingsSheet(ctx, b, need, *d)
		banks.to("settings", dev, set, err)
		c, err := s.Procedure.CommissionOf(ctx, b, need, *d, w)
		banks.to("commission", c, err)
		filled, err := s.Working.OfBank(ctx, b, need, *d, w)
		banks.to("workings", filled, err)
		checks, err := s.Bank.SenseChecks(ctx, b)
		banks.to("sense checks", checks, err)
		in, err := s.Procedure.Replacements(ctx, *d, d.Places[0].Number)
		banks.to("replacements", in, err)
		tr, err := s.Record.Troubles(ctx, id)
		banks.to("troubles", tr, err)
		tests, err := s.Procedure.BankTests(ctx, id)
		banks.to("tests", tests, err)
		shelf, err := s.Bank.Shelf(ctx, nil)
		banks.to("shelf", shelf.Stocks(), err)
		cs, err := s.Bank.Candidates(need, shelf)
		banks.to("candidates", cs, err)
		adv, err := s.Bank.Advice(need, shelf)
		banks.to("advice", adv, err)
	}
	standing, err := s.Procedure.OfOrigin(ctx, store.Stands)
	for _, b := range standing {
		v, verr := s.Procedure.StandingByID(ctx, b.ID)
		banks.to("standing "+b.Name, v, verr, err)
	}
	packs, err := s.Procedure.OfOrigin(ctx, store.Whole)
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range slices.Backward(packs) {
		v, err := s.Procedure.PackByID(ctx, p.ID)
		banks.to("pack", v, err)
		places, err := s.Procedure.LocateDisconnect(ctx, p.ID, 120)
		banks.to("disconnect", places, err)
	}
	golden.Same(t, "answers-banks", banks.b.String())
}

// What lists, pages, parts and looks ahead tell of the sample workshop.
func TestWhatTheSampleWorkshopLists(t *testing.T) {
	ctx, now := context.Background(), time.Date(2026, 11, 25, 15, 0, 0, 0, time.UTC)
	st := sample.Open(t, now)
	s := shop.New(st, func() time.Time { return now })
	db := st.DB.WithContext(ctx)
	var a answers
	for id := int64(1); id <= 4; id++ {
		for _, of := range []string{"lot", "type", "bank", "module", "shed"} {
			name, err := s.Record.FamilyName(ctx, of, id)
			ms, page, ferr := s.Record.FamilyPage(ctx, of, id, 2, 3)
			if a.to("family "+of, name, err, ms, page, ferr); ferr == nil {
				a.to("its page", page.From(), page.To(), page.Prev(), page.Next())
			}
		}
		rows, page, err := s.Record.InLotPage(ctx, id, 1, 4)
		a.to("page of a lot", len(rows), page, page.From(), page.To(), page.Prev(), page.Next(), err)
		for _, at := range station.Path {
			ms, waiting, elsewhere, err := s.Record.InLotAt(ctx, id, at, 3)
			a.to("in a lot at "+string(at), len(ms), waiting, elsewhere, err)
			list, p, err := s.Desk.At(ctx, at, int(id), 5)
			a.to("page at "+string(at), len(list), p, err)
		}
		header, cells, err := s.Measure.LotExport(ctx, id)
		a.to("export of a lot", header, len(cells), cells[:min(3, len(cells))], err)
		for _, kind := range []string{"lot", "bank", "standing", "pack", "type"} {
			p, err := s.Working.At(ctx, working.From{Kind: kind, ID: id})
			a.to("workings at a "+kind, p, err)
		}
		kept, err := s.Working.KeptOf(ctx, id)
		a.to("workings kept", kept, err)
		ev, err := s.Desk.BankEvents(ctx, id)
		var texts []string
		for _, e := range ev {
			texts = append(texts, e.Who+" "+e.Kind+": "+e.Text)
		}
		a.to("log of a bank", texts, err)
		ls, err := s.Desk.Layouts(ctx, id)
		a.to("layouts", len(ls), err)
		curves, err := s.Desk.CurvesOfType(ctx, id)
		a.to("curves", curves, err)
		pics, err := s.Types.TypePictures(ctx, id)
		a.to("pictures of a type", len(pics), err)
		lead, err := s.Measure.LeadByID(ctx, id)
		a.to("lead", lead, err)
		ready, others, err := s.Measure.LeadsFor(ctx, id)
		a.to("leads for", ready, others, err)
		for _, kind := range []string{record.StrikeStep, record.StrikeSense, record.StrikeBankSurvey, "module"} {
			alone, err := s.Undo.AloneByID(ctx, kind, id)
			a.to("may go: "+kind, alone, err)
		}
		for _, trace := range []int64{id, 20 + id} {
			thin, err := s.Tests.ThinOf(ctx, trace)
			a.to("thin log", len(thin.Seconds), thin.EndS, thin.FloorV, thin.Segments, err)
			newer, err := s.Tests.NewerReading(ctx, trace)
			a.to("newer reading", newer, err)
		}
	}
	for _, text := range []string{"K-0", "kiosk", "k013", "9999", "", "ferry"} {
		mods, banks, err := s.Desk.Search(ctx, text)
		a.to("search "+text, len(mods), len(banks), err)
	}
	golden.Same(t, "lists", a.b.String())
	var b answers
	for _, number := range []string{"K-001", "K-006", "K-013", "K-020", "K-110", "K-126", "K-128", "K-201", "K-202",
		"K-209"} {
		m, err := s.Module(ctx, number)
		if err != nil {
			t.Fatal(err)
		}
		var ty store.ModuleType
		if err := db.Where("id = ?", m.TypeID).Take(&ty).Error; err != nil {
			t.Fatal(err)
		}
		b.b.WriteString("# " + number + "\n")
		life, err := s.Desk.Life(ctx, number)
		b.to("life", life, life.Behind(), err)
		sheet, _, err := s.Desk.DataSheet(ctx, number)
		b.to("data sheet", sheet, err)
		lay, ok, err := s.Record.LayoutFor(ctx, m, ty)
		b.to("layout", lay.Series, ok, err)
		pins, dead, err := s.Measure.PinMapOf(ctx, m, ty, lay)
		b.to("pins", pins, dead, err)
		c, err := s.Bench.Conditioning(ctx, m, ty, bench.ConditionWish{Cycles: 2, LowV: 3.5, HighV: 3.6})
		b.to("conditioning", c, err)
		part, why, err := s.Bench.PlanPart(ctx, m, ty, 1, 2)
		b.to("plan of a part", part, why, err)
		people, err := s.Procedure.PeopleOf(ctx, number)
		b.to("people", people, err)
		list, err := record.TestsOf(s.Store.DB.WithContext(ctx), m, ty)
		if err != nil {
			t.Fatal(err)
		}
		tests, joined, err := record.PartsOf(list)
		b.to("parts", len(tests), joined, err)
		checked, insulated, err := s.Measure.LastChecks(ctx, m.ID)
		b.to("checks", checked, insulated, err)
		look, err := s.Record.LastLook(ctx, m.ID)
		b.to("look", look, err)
		opening, ok, err := s.Measure.OpeningOf(ctx, m)
		b.to("opening", opening, ok, err)
		back, err := s.Measure.Withdrawals(ctx, m.ID)
		b.to("withdrawn", len(back), err)
	}
	golden.Same(t, "lives", b.b.String())
}
