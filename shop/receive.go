package shop

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"gorm.io/gorm"

	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/module/layout"
	"pandrel/core/module/look"
	"pandrel/core/procedure/gates"
	"pandrel/exchange"
	"pandrel/store"
)

// LotInput is what is known of a delivery. Version is 0 for a new one.
type LotInput struct {
	ID        int64
	Version   int
	Supplier  string
	ArrivedOn string
	Price     float64
	Freight   float64
	Note      string
	By        string
	Token     string

	// Where freight is one price per pallet, Freight is worked out from these.
	Pallets       int
	PalletFreight float64
	PalletHolds   int
	Claims        string
	ClaimedSoHPct float64
}

// SaveLot makes a lot or changes one.
func (s *Shop) SaveLot(ctx context.Context, in LotInput) (store.Lot, error) {
	c := checks{}
	in.Supplier = strings.TrimSpace(in.Supplier)
	c.need(in.Supplier != "", "supplier", "expected who it came from")
	_, err := time.Parse("2006-01-02", in.ArrivedOn)
	c.need(err == nil, "arrived_on", "%q: expected a date such as 2026-11-20", in.ArrivedOn)
	c.need(in.Price >= 0 && in.Price < 1e9, "price", "expected 0 or more")
	c.need(in.Freight >= 0 && in.Freight < 1e9, "freight", "expected 0 or more")
	c.need(in.Pallets >= 0 && in.Pallets <= 500, "pallets", "expected 0 (not by the pallet) to 500")
	c.need(in.PalletFreight >= 0 && in.PalletFreight < 1e9, "pallet_freight", "expected 0 or more")
	c.need(in.PalletHolds >= 0 && in.PalletHolds <= 1000, "pallet_holds", "expected 0 (not known) to 1000 modules")
	c.need(in.ClaimedSoHPct >= 0 && in.ClaimedSoHPct <= 120, "claimed_soh_pct", "expected 0 (nothing said) to 120 %%")
	c.need(in.PalletFreight == 0 || in.Pallets > 0, "pallets", "expected how many pallets, to go with the freight per pallet")
	c.need(in.PalletFreight == 0 || in.Freight == 0 || in.Freight == window.FreightOf(in.Pallets, in.PalletFreight), "freight", "leave it empty where freight is per pallet: it is %.2f for %d pallets", window.FreightOf(in.Pallets, in.PalletFreight), in.Pallets)
	if in.PalletFreight > 0 {
		in.Freight = window.FreightOf(in.Pallets, in.PalletFreight)
	}
	if err := c.err(); err != nil {
		return store.Lot{}, err
	}
	lot := store.Lot{Supplier: in.Supplier, ArrivedOn: in.ArrivedOn, Price: in.Price, Freight: in.Freight, Currency: s.Policy.Currency, Note: strings.TrimSpace(in.Note), Version: 1, CreatedAt: s.now(),
		Pallets: in.Pallets, PalletFreight: in.PalletFreight, PalletHolds: in.PalletHolds, Claims: strings.TrimSpace(in.Claims), ClaimedSohPct: in.ClaimedSoHPct}
	err = s.action(ctx, in.Token, "lot", func(tx *gorm.DB) error {
		if in.ID == 0 {
			if err := tx.Create(&lot).Error; err != nil {
				return err
			}
			return s.log(tx, initials(in.By), "lot", about{lot: lot.ID}, "Lot from %s received", lot.Supplier)
		}
		lot.ID = in.ID
		res := tx.Model(&store.Lot{}).Where("id = ? AND version = ?", in.ID, in.Version).Updates(map[string]any{
			"supplier": lot.Supplier, "arrived_on": lot.ArrivedOn, "price": lot.Price, "freight": lot.Freight, "note": lot.Note,
			"pallets": lot.Pallets, "pallet_freight": lot.PalletFreight, "pallet_holds": lot.PalletHolds, "claims": lot.Claims, "claimed_soh_pct": lot.ClaimedSohPct, "version": in.Version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			var now store.Lot
			if err := tx.Where("id = ?", in.ID).Take(&now).Error; err != nil {
				return orMissing(err, &NotFound{fmt.Sprintf("lot %d", in.ID)})
			}
			return &Conflict{What: "Lot " + now.Supplier, Version: now.Version, Saved: map[string]string{"supplier": now.Supplier, "arrived_on": now.ArrivedOn,
				"price": plain(now.Price), "freight": plain(now.Freight), "note": now.Note,
				"pallets": strconv.Itoa(now.Pallets), "pallet_freight": plain(now.PalletFreight), "pallet_holds": strconv.Itoa(now.PalletHolds), "claims": now.Claims, "claimed_soh_pct": plain(now.ClaimedSohPct)}}
		}
		lot.Version = in.Version + 1
		return s.log(tx, initials(in.By), "lot", about{lot: lot.ID}, "Lot changed")
	})
	return lot, err
}

func plain(v float64) string { return strconv.FormatFloat(v, 'f', -1, 64) }

// TypeInput is what the label plate and the first look say of a module type.
type TypeInput struct {
	ID          int64
	Version     int
	Name        string
	Chemistry   string
	RatedAh     float64
	PlateSeries int
	PlateVolts  float64
	Posts       string
	Pins        string
	TabsSeen    int     // one of the three ways to know the cells in parallel
	CellAh      float64 //
	ModuleKg    float64 //
	CellKg      float64 //
	Note        string
	By          string
	Token       string

	DischargeA    float64 // currents of one module, 0 for the typical C rates of its capacity
	PeakA         float64
	ChargeA       float64
	ChargePeakA   float64
	FullVolts     float64 // of a group, at which it counts as full, 0 for the charge limit
	PointsInOrder bool
	Sure          bool   // the plate was read again and does say so
	Reason        string // for a change of chemistry after something was measured
}

// SaveType makes a module type or changes one.
func (s *Shop) SaveType(ctx context.Context, in TypeInput) (store.ModuleType, error) {
	c := checks{}
	in.Name = strings.TrimSpace(in.Name)
	c.need(in.Name != "", "name", "expected a short name")
	id, err := chem.Parse(in.Chemistry)
	c.need(err == nil, "chemistry", "%v", err)
	c.need(in.RatedAh > 0 && in.RatedAh < 1e5, "rated_ah", "expected the rated capacity, above 0 Ah")
	c.need(in.PlateSeries >= 0 && in.PlateSeries <= 400, "plate_series", "expected 0 (not known) to 400")
	c.need(in.PlateVolts >= 0 && in.PlateVolts <= 1500, "plate_volts", "expected 0 (not known) to 1500 V")
	c.need(in.TabsSeen >= 0 && in.TabsSeen <= 1000, "tabs_seen", "expected 0 (not counted) to 1000")
	c.need(in.CellAh >= 0 && in.CellAh <= 1e4, "cell_ah", "expected 0 (not known) or one cell's Ah")
	c.need(in.ModuleKg >= 0 && in.ModuleKg <= 1000, "module_kg", "expected 0 (not weighed) to 1000 kg")
	c.need(in.CellKg >= 0 && in.CellKg <= 100, "cell_kg", "expected 0 (not weighed) to 100 kg")
	cells, how := 0, ""
	if in.TabsSeen > 0 || in.CellAh > 0 || in.ModuleKg > 0 && in.CellKg > 0 && in.PlateSeries > 0 {
		var perr error
		cells, how, perr = layout.ParallelCount(layout.ParallelEvidence{GroupAh: in.RatedAh, CellAh: in.CellAh, TabsSeen: in.TabsSeen, ModuleKg: in.ModuleKg, CellKg: in.CellKg, Series: in.PlateSeries})
		field := "cell_ah"
		if in.CellAh == 0 {
			field = "cell_kg"
		}
		c.need(perr == nil, field, "%v", perr)
	}
	for _, f := range []struct {
		field string
		v     float64
	}{{"discharge_a", in.DischargeA}, {"peak_a", in.PeakA}, {"charge_a", in.ChargeA}, {"charge_peak_a", in.ChargePeakA}} {
		c.need(f.v >= 0 && f.v <= 1e4, f.field, "expected 0 (the typical C rate) to 10 000 A")
	}
	c.need(in.PeakA == 0 || in.PeakA >= in.DischargeA, "peak_a", "expected at least the continuous current")
	c.need(in.ChargePeakA == 0 || in.ChargePeakA >= in.ChargeA, "charge_peak_a", "expected at least the continuous current")
	if ch, cerr := chem.Lookup(id); cerr == nil {
		c.need(in.FullVolts == 0 || in.FullVolts > ch.NominalVolts && in.FullVolts <= ch.ChargeLimitVolts, "full_v", "expected 0 (the charge limit) or a group's full voltage up to %.2f V", ch.ChargeLimitVolts)
	}
	if !in.Sure {
		for _, d := range layout.PlateDoubts(layout.Plate{Chemistry: id, Series: in.PlateSeries, Volts: in.PlateVolts, RatedAh: in.RatedAh, TabsSeen: in.TabsSeen, CellAh: in.CellAh, ModuleKg: in.ModuleKg, CellKg: in.CellKg}) {
			c.need(false, d.Field, "%s: read it again. If it is so, tick that the plate does say so", d.Text)
		}
	}
	posts, pins := strings.Fields(strings.ReplaceAll(in.Posts, ",", " ")), strings.Fields(strings.ReplaceAll(in.Pins, ",", " "))
	c.need(len(posts) >= 2, "posts", "expected the names of at least two posts, separated by blanks")
	seen := map[string]bool{}
	for i := range posts {
		posts[i] = layout.CleanName(posts[i])
	}
	for i := range pins {
		pins[i] = layout.CleanName(pins[i])
	}
	for _, p := range append(append([]string{}, posts...), pins...) {
		c.need(!seen[p], "pins", "%s is there twice", p)
		c.need(!strings.ContainsAny(p, ".#"), "pins", "%s: expected names without a point or #", p)
		seen[p] = true
	}
	if err := c.err(); err != nil {
		return store.ModuleType{}, err
	}
	t := store.ModuleType{Name: in.Name, Chemistry: string(id), RatedAh: in.RatedAh, PlateSeries: in.PlateSeries, PlateVolts: in.PlateVolts, Posts: strings.Join(posts, " "), Pins: strings.Join(pins, " "),
		CellsParallel: cells, ParallelHow: how, TabsSeen: in.TabsSeen, CellAh: in.CellAh, ModuleKg: in.ModuleKg, CellKg: in.CellKg, Note: strings.TrimSpace(in.Note), Version: 1, CreatedAt: s.now(),
		DischargeA: in.DischargeA, PeakA: in.PeakA, ChargeA: in.ChargeA, ChargePeakA: in.ChargePeakA, FullVolts: in.FullVolts, PointsInOrder: in.PointsInOrder}
	err = s.action(ctx, in.Token, "type", func(tx *gorm.DB) error {
		if same, taken, err := find[store.ModuleType](tx.Where("name = ? COLLATE NOCASE AND id <> ?", t.Name, in.ID)); err != nil {
			return err
		} else if taken {
			return Bad("name", "there is a module type %s already", same.Name)
		}
		if in.ID == 0 {
			if err := tx.Create(&t).Error; err != nil {
				return err
			}
			return s.log(tx, initials(in.By), "type", about{typ: t.ID}, "Module type %s added", t.Name)
		}
		before, err := typeByID(tx, in.ID)
		if err != nil {
			return err
		}
		measured, err := s.measuredOn(tx, in.ID)
		if err != nil {
			return err
		}
		changed := before.Chemistry != "" && before.Chemistry != t.Chemistry && before.Version == in.Version
		if changed && measured {
			if text := gates.ReasonText(in.Reason, in.By); text != "" {
				return Bad("reason", "modules of this type were measured as %s. Another chemistry judges all of them anew and takes designs back: %s", strings.ToUpper(before.Chemistry), text)
			}
		}
		res := tx.Model(&store.ModuleType{}).Where("id = ? AND version = ?", in.ID, in.Version).Updates(map[string]any{
			"discharge_a": t.DischargeA, "peak_a": t.PeakA, "charge_a": t.ChargeA, "charge_peak_a": t.ChargePeakA, "full_volts": t.FullVolts, "points_in_order": t.PointsInOrder,
			"name": t.Name, "chemistry": t.Chemistry, "rated_ah": t.RatedAh, "plate_series": t.PlateSeries, "plate_volts": t.PlateVolts, "posts": t.Posts, "pins": t.Pins,
			"cells_parallel": t.CellsParallel, "parallel_how": t.ParallelHow, "tabs_seen": t.TabsSeen, "cell_ah": t.CellAh, "module_kg": t.ModuleKg, "cell_kg": t.CellKg, "note": t.Note, "version": in.Version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			now, err := typeByID(tx, in.ID)
			if err != nil {
				return err
			}
			return &Conflict{What: "Module type " + now.Name, Version: now.Version, Saved: map[string]string{"name": now.Name, "chemistry": now.Chemistry, "rated_ah": plain(now.RatedAh),
				"plate_series": strconv.Itoa(now.PlateSeries), "plate_volts": plain(now.PlateVolts), "posts": now.Posts, "pins": now.Pins, "tabs_seen": strconv.Itoa(now.TabsSeen), "cell_ah": plain(now.CellAh), "module_kg": plain(now.ModuleKg), "cell_kg": plain(now.CellKg), "note": now.Note}}
		}
		t.ID, t.Version = in.ID, in.Version+1
		if before.Chemistry != t.Chemistry || before.RatedAh != t.RatedAh {
			if err := s.judgeAnew(tx, t.ID, before.Chemistry != t.Chemistry, initials(in.By)); err != nil {
				return err
			}
		}
		why := ""
		if changed && measured {
			why = ". Reason: " + strings.TrimSpace(in.Reason)
		}
		return s.log(tx, initials(in.By), "type", about{typ: t.ID}, "Module type changed: %s, %s Ah%s", strings.ToUpper(t.Chemistry), numeral.Text(t.RatedAh), why)
	})
	return t, err
}

// ModulesInput adds Count modules of one type in one go; numbers count up from First.
type ModulesInput struct {
	LotID         int64
	TypeID        int64
	First         string
	Count         int
	PlateAh       float64
	PlateNote     string
	FloodOrRecall bool
	History       string // unknown, clean, flood, crash or recall; "" for not asked
	HistoryNote   string
	By            string
	Token         string
}

var trailingDigits = regexp.MustCompile(`^(.*?)(\d+)$`)

// Numbers returns count label numbers that count up from first, keeping its leading zeros.
func Numbers(first string, count int) ([]string, error) {
	first = strings.TrimSpace(first)
	if count < 1 || count > 500 {
		return nil, Bad("count", "%d modules: expected 1 to 500 at a time", count)
	}
	if first == "" || len(first) > 24 || strings.ContainsAny(first, " ./?#%\\") {
		return nil, Bad("first", "%q: expected a label number such as K-001, without blanks, points or slashes", first)
	}
	m := trailingDigits.FindStringSubmatch(first)
	if m == nil {
		if count == 1 {
			return []string{first}, nil
		}
		return nil, Bad("first", "%q: expected a number that ends in digits, such as K-001, so that it can count up", first)
	}
	n, err := strconv.Atoi(m[2])
	if err != nil || n > 1e9 {
		return nil, Bad("first", "%q: expected fewer digits", first)
	}
	out := make([]string, count)
	for i := range out {
		out[i] = fmt.Sprintf("%s%0*d", m[1], len(m[2]), n+i)
	}
	return out, nil
}

// AddModules receives modules into a lot. A number that exists already stops the whole action.
func (s *Shop) AddModules(ctx context.Context, in ModulesInput) ([]store.Module, error) {
	numbers, err := Numbers(in.First, in.Count)
	if err != nil {
		return nil, err
	}
	if in.PlateAh < 0 || in.PlateAh > 1e5 {
		return nil, Bad("plate_ah", "expected the plate's capacity, 0 Ah where it cannot be read")
	}
	if in.History == "flood" || in.History == "recall" {
		in.FloodOrRecall = true
	} else if in.FloodOrRecall {
		in.History = "flood"
	}
	if in.History != "" && !slices.Contains(AskedHistory, in.History) {
		return nil, Bad("history", "expected one of %s", strings.Join(AskedHistory, ", "))
	}
	var out []store.Module
	err = s.action(ctx, in.Token, "modules", func(tx *gorm.DB) error {
		t, err := typeByID(tx, in.TypeID)
		var none *NotFound
		if errors.As(err, &none) {
			return Bad("type", "choose a module type")
		} else if err != nil {
			return err
		}
		var lot store.Lot
		if err := tx.Where("id = ?", in.LotID).Take(&lot).Error; err != nil {
			return orMissing(err, &NotFound{fmt.Sprintf("lot %d", in.LotID)})
		}
		var taken []string
		if err := tx.Model(&store.Module{}).Where("number COLLATE NOCASE IN ?", numbers).Order("number").Pluck("number", &taken).Error; err != nil {
			return err
		}
		if len(taken) > 0 {
			return Bad("first", "%s exists already: expected numbers that are not in use. Nothing was added", strings.Join(taken, ", "))
		}
		for _, n := range numbers {
			out = append(out, store.Module{Number: n, LotID: lot.ID, TypeID: t.ID, PlateAh: in.PlateAh, PlateNote: strings.TrimSpace(in.PlateNote), FloodOrRecall: in.FloodOrRecall, History: in.History, HistoryNote: strings.TrimSpace(in.HistoryNote), HoldRules: RulesVersion, Station: Inspect, StationSince: s.now(), Version: 1, CreatedAt: s.now()})
		}
		if err := tx.CreateInBatches(&out, 100).Error; err != nil {
			return err
		}
		for i := range out {
			if err := s.log(tx, initials(in.By), "received", about{module: out[i].ID, lot: lot.ID}, "Received as %s from %s", t.Name, lot.Supplier); err != nil {
				return err
			}
			if in.FloodOrRecall {
				if err := s.quarantine(tx, &out[i], initials(in.By), "flood or recall history"); err != nil {
					return err
				}
			}
		}
		return nil
	})
	return out, err
}

// InspectInput is one look at a module. ThicknessMM is 0 where it was not measured. Pictures are
// photographs of what was seen, as they were sent.
type InspectInput struct {
	Number      string
	Signs       []string
	Mended      bool // the milder signs were seen to and it may go on
	Nothing     bool // 'nothing found' was pressed: no sign may be chosen then
	ThicknessMM float64
	Pictures    [][]byte
	Note        string
	By          string
	Token       string
}

// RecordInspection keeps a look and moves the module on, holds it, quarantines it or scraps it.
func (s *Shop) RecordInspection(ctx context.Context, in InspectInput) (outcome string, err error) {
	if in.Nothing && len(in.Signs) > 0 {
		return "", Bad("signs", "'nothing found' was pressed while signs are chosen: take them off, or save the look with them")
	}
	var ready []exchange.Picture
	for i, data := range in.Pictures { // scaling takes long: it is done before the transaction
		p, err := exchange.ReadPicture(data)
		if err != nil {
			return "", Bad("picture", "picture %d: %v", i+1, err)
		}
		ready = append(ready, p)
	}
	err = s.action(ctx, in.Token, "inspection", func(tx *gorm.DB) error {
		m, err := moduleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		t, err := typeByID(tx, m.TypeID)
		if err != nil {
			return err
		}
		var fs []finding.Finding
		if outcome, fs, err = look.Judge(look.Seen{Words: in.Signs, Mended: in.Mended, ThicknessMM: in.ThicknessMM, NominalMM: t.ThicknessMM}); err != nil {
			field := "signs"
			if strings.HasPrefix(err.Error(), "thickness") {
				field = "thickness_mm"
			}
			return Bad(field, "%v", err)
		}
		row := store.Inspection{ModuleID: m.ID, SeenBy: initials(in.By), SeenAt: s.now(), Signs: strings.Join(in.Signs, " "), Outcome: outcome, Note: strings.TrimSpace(in.Note), ThicknessMM: in.ThicknessMM, Findings: toJSON(fs), Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		what := seenText(fs)
		if err := s.log(tx, row.SeenBy, "inspection", about{module: m.ID}, "Looked at: %s; %s", what, outcome); err != nil {
			return err
		}
		for i, p := range ready {
			if _, err := s.keepPicture(tx, PictureInput{Kind: PictureLook, Module: m.Number, InspectionID: row.ID, Caption: what, Data: in.Pictures[i], By: in.By, Token: fmt.Sprintf("%s-%d", in.Token, i)}, p); err != nil {
				return err
			}
		}
		switch outcome {
		case look.Scrap:
			if err := s.moveTo(tx, &m, Out); err != nil {
				return err
			}
			return s.quarantine(tx, &m, row.SeenBy, "scrap: "+what) // for ever, nothing else is held
		case look.Quarantine:
			return s.quarantine(tx, &m, row.SeenBy, what)
		case look.GoOn:
			if m.Station != Inspect {
				break
			}
			next := Map
			if t.LayoutID != nil {
				next = Survey
			}
			if err := s.moveTo(tx, &m, next); err != nil {
				return err
			}
		}
		return s.rehold(tx, m.ID)
	})
	return outcome, err
}

// seenText says in a few words what a look found, for the log and the reason of a quarantine.
func seenText(fs []finding.Finding) string {
	var parts []string
	for _, f := range fs {
		if f.Code == "thickness" && f.Level == finding.Note {
			continue
		}
		text := strings.TrimSuffix(strings.TrimPrefix(f.Text, "Seen: "), ".")
		parts = append(parts, text)
	}
	if len(parts) == 0 {
		return "none of the listed signs seen"
	}
	return strings.Join(parts, ", ")
}

// Lot finds a lot.
func (s *Shop) Lot(ctx context.Context, id int64) (store.Lot, error) {
	var lot store.Lot
	err := s.st.DB.WithContext(ctx).Where("id = ?", id).Take(&lot).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return lot, &NotFound{fmt.Sprintf("lot %d", id)}
	}
	return lot, err
}
