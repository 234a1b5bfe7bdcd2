package receive

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
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/base/station"
	"pandrel/core/module/look"
	"pandrel/exchange"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// OwnStock is where modules come from that nobody delivered.
const OwnStock = "Own stock"

// OwnLot is the lot of what was in the workshop already, made when it is first needed.
func (s *Room) OwnLot(tx *gorm.DB) (store.Lot, error) {
	lot, ok, err := kernel.Find[store.Lot](tx.Where("supplier = ? AND price = 0 AND freight = 0 AND "+
		"claimed_soh_pct = 0 AND NOT papers", OwnStock).
		Order("id DESC"))
	if err != nil || ok {
		return lot, err
	}
	lot = store.Lot{Supplier: OwnStock, ArrivedOn: s.Today(), Currency: s.Policy.Currency,
		Version: 1, CreatedAt: s.Now()}
	return lot, tx.Create(&lot).Error
}

// LotOf is a lot of its own for what arrived from somebody, or of which something was said: what is said of one arrival
// is said of no other.
func (s *Room) LotOf(tx *gorm.DB, in LotInput) (store.Lot, error) {
	lot, err := in.typed(s.Today())
	if err != nil {
		return lot, err
	}
	lot.Currency, lot.CreatedAt = s.Policy.Currency, s.Now()
	if err := tx.Create(&lot).Error; err != nil {
		return lot, err
	}
	return lot, s.Log(tx, "lot", kernel.About{Lot: lot.ID}, "Lot from %s received", lot.Supplier)
}

// NextNumber is the first label number of a stem that is free, with all after it: M-001, or one above the highest.
func NextNumber(tx *gorm.DB, stem string) (string, error) {
	var taken []string
	err := tx.Model(&store.Module{}).Where("number LIKE ? ESCAPE '!'", stem+"-%").Pluck("number", &taken).Error
	highest := 0
	for _, n := range taken {
		if k, err := strconv.Atoi(n[len(stem)+1:]); err == nil {
			highest = max(highest, k)
		}
	}
	return fmt.Sprintf("%s-%03d", stem, highest+1), err
}

// LotInput is what is known of a delivery. Version is 0 for a new one. Where nothing is said it is own stock, today.
type LotInput struct {
	ID        int64
	Version   int
	Supplier  string
	ArrivedOn string
	Price     float64
	Freight   float64
	Note      string
	Token     string

	// Where freight is one price per pallet, Freight is worked out from these.
	Pallets       int
	PalletFreight float64
	PalletHolds   int
	Claims        string
	ClaimAbout    bool // about that, and not that or better
	Papers        bool // new, with its maker's papers
	ClaimedSoHPct float64
}

// SaveLot makes a lot or changes one.
func (s *Room) SaveLot(ctx context.Context, in LotInput) (store.Lot, error) {
	lot, err := in.typed(s.Today())
	if err != nil {
		return lot, err
	}
	lot.Currency, lot.CreatedAt = s.Policy.Currency, s.Now()
	err = s.Action(ctx, in.Token, "lot", func(tx *gorm.DB) error {
		if in.ID == 0 {
			lot, err = s.LotOf(tx, in)
			return err
		}
		lot.ID = in.ID
		res := tx.Model(&store.Lot{}).Where("id = ? AND version = ?", in.ID, in.Version).Updates(map[string]any{
			"supplier": lot.Supplier, "arrived_on": lot.ArrivedOn, "price": lot.Price, "freight": lot.Freight,
			"note":    lot.Note,
			"pallets": lot.Pallets, "pallet_freight": lot.PalletFreight, "pallet_holds": lot.PalletHolds,
			"claims": lot.Claims, "claimed_soh_pct": lot.ClaimedSohPct, "papers": lot.Papers,
			"claim_about": lot.ClaimAbout,
			"version":     in.Version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			now, err := kernel.ByID[store.Lot](tx, in.ID, "lot")
			if err != nil {
				return err
			}
			return &kernel.Conflict{What: "Lot " + now.Supplier, Version: now.Version,
				Saved: map[string]string{"supplier": now.Supplier, "arrived_on": now.ArrivedOn,
					"price": record.Plain(now.Price), "freight": record.Plain(now.Freight), "note": now.Note,
					"pallets": strconv.Itoa(now.Pallets), "pallet_freight": record.Plain(now.PalletFreight),
					"pallet_holds": strconv.Itoa(now.PalletHolds), "claims": now.Claims,
					"claimed_soh_pct": record.Plain(now.ClaimedSohPct)}}
		}
		lot.Version = in.Version + 1
		return s.Log(tx, "lot", kernel.About{Lot: lot.ID}, "Lot changed")
	})
	return lot, err
}

// typed is a lot as it was typed in, with what cannot be.
func (in LotInput) typed(today string) (store.Lot, error) {
	c := kernel.Checks{}
	in.Supplier = strings.TrimSpace(in.Supplier)
	if in.Supplier == "" {
		in.Supplier = OwnStock
	}
	if in.ArrivedOn == "" {
		in.ArrivedOn = today
	}
	_, err := time.Parse("2006-01-02", in.ArrivedOn)
	c.Need(err == nil, "arrived_on", "%q: expected a date such as 2026-11-20", in.ArrivedOn)
	c.Need(in.Price >= 0 && in.Price < 1e9, "price", "expected 0 or more")
	c.Need(in.Freight >= 0 && in.Freight < 1e9, "freight", "expected 0 or more")
	c.Need(in.Pallets >= 0 && in.Pallets <= 500, "pallets", "expected 0 (not by the pallet) to 500")
	c.Need(in.PalletFreight >= 0 && in.PalletFreight < 1e9, "pallet_freight", "expected 0 or more")
	c.Need(in.PalletHolds >= 0 && in.PalletHolds <= 1000, "pallet_holds", "expected 0 (not known) to 1000 modules")
	c.Need(in.ClaimedSoHPct >= 0 && in.ClaimedSoHPct <= 120, "claimed_soh_pct", "expected 0 (nothing said) to 120 %%")
	c.Need(in.PalletFreight == 0 || in.Pallets > 0, "pallets", "expected how many pallets, to go with the freight "+
		"per pallet")
	c.Need(in.PalletFreight == 0 || in.Freight == 0 || in.Freight == window.FreightOf(in.Pallets, in.PalletFreight),
		"freight", "leave it empty where freight is per pallet: it is %.2f for %d pallets",
		window.FreightOf(in.Pallets, in.PalletFreight), in.Pallets)
	if in.PalletFreight > 0 {
		in.Freight = window.FreightOf(in.Pallets, in.PalletFreight)
	}
	return store.Lot{Supplier: in.Supplier, ArrivedOn: in.ArrivedOn, Price: in.Price, Freight: in.Freight,
		Note: strings.TrimSpace(in.Note), Version: 1, Pallets: in.Pallets, PalletFreight: in.PalletFreight,
		PalletHolds: in.PalletHolds, Claims: strings.TrimSpace(in.Claims), ClaimedSohPct: in.ClaimedSoHPct,
		Papers:     in.Papers,
		ClaimAbout: in.ClaimAbout}, c.Err()
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
	Token         string
}

var trailingDigits = regexp.MustCompile(`^(.*?)(\d+)$`)

// Numbers returns count label numbers that count up from first, keeping its leading zeros.
func Numbers(first string, count int) ([]string, error) {
	first = strings.TrimSpace(first)
	if count < 1 || count > 500 {
		return nil, kernel.Bad("count", "%s: expected 1 to 500 at a time", numeral.Count(count, "module"))
	}
	if first == "" || len(first) > 24 || strings.ContainsAny(first, " ./?#%\\") {
		return nil, kernel.Bad("first",
			"%q: expected a label number such as K-001, without blanks, points or slashes", first)
	}
	m := trailingDigits.FindStringSubmatch(first)
	if m == nil {
		if count == 1 {
			return []string{first}, nil
		}
		return nil, kernel.Bad("first", "%q: expected a number that ends in digits, such as K-001, so that it can "+
			"count up", first)
	}
	n, err := strconv.Atoi(m[2])
	if err != nil || n > 1e9 {
		return nil, kernel.Bad("first", "%q: expected fewer digits", first)
	}
	out := make([]string, count)
	for i := range out {
		out[i] = fmt.Sprintf("%s%0*d", m[1], len(m[2]), n+i)
	}
	return out, nil
}

// AddModules receives modules into a lot. A number that exists already stops the whole action.
func (s *Room) AddModules(ctx context.Context, in ModulesInput) ([]store.Module, error) {
	if strings.TrimSpace(in.First) == "" {
		first, err := NextNumber(s.Store.DB.WithContext(ctx), "M")
		if err != nil {
			return nil, err
		}
		in.First = first
	}
	numbers, err := Numbers(in.First, in.Count)
	if err != nil {
		return nil, err
	}
	if in.PlateAh < 0 || in.PlateAh > 1e5 {
		return nil, kernel.Bad("plate_ah", "expected the plate's capacity, 0 Ah where it cannot be read")
	}
	if in.History == "flood" || in.History == "recall" {
		in.FloodOrRecall = true
	} else if in.FloodOrRecall {
		in.History = "flood"
	}
	if in.History != "" && !slices.Contains(record.AskedHistory, in.History) {
		return nil, kernel.Bad("history", "expected one of %s", strings.Join(record.AskedHistory, ", "))
	}
	var out []store.Module
	err = s.Action(ctx, in.Token, "modules", func(tx *gorm.DB) error {
		out, err = s.addIn(tx, in, numbers)
		return err
	})
	return out, err
}

// Add receives modules inside a transaction.
func (s *Room) Add(tx *gorm.DB, in ModulesInput) ([]store.Module, error) {
	numbers, err := Numbers(in.First, in.Count)
	if err != nil {
		return nil, err
	}
	return s.addIn(tx, in, numbers)
}

func (s *Room) addIn(tx *gorm.DB, in ModulesInput, numbers []string) (out []store.Module, err error) {
	t, err := kernel.TypeByID(tx, in.TypeID)
	var none *kernel.NotFound
	if errors.As(err, &none) {
		return nil, kernel.Bad("type", "choose a module type")
	} else if err != nil {
		return nil, err
	}
	lot, err := kernel.ByID[store.Lot](tx, in.LotID, "lot")
	if err != nil {
		return nil, err
	}
	var taken []string
	if err := tx.Model(&store.Module{}).Where("number COLLATE NOCASE IN ?",
		numbers).Order("number").Pluck("number", &taken).Error; err != nil {
		return nil, err
	}
	if len(taken) > 0 {
		return nil, kernel.Bad("first", "%s exists already: expected numbers that are not in use. Nothing was added",
			strings.Join(taken, ", "))
	}
	for _, n := range numbers {
		out = append(out, store.Module{Number: n, LotID: lot.ID, TypeID: t.ID, PlateAh: in.PlateAh,
			PlateNote: strings.TrimSpace(in.PlateNote), FloodOrRecall: in.FloodOrRecall, History: in.History,
			HistoryNote: strings.TrimSpace(in.HistoryNote), HoldRules: kernel.RulesVersion,
			Station: station.Inspect, StationSince: s.Now(), Version: 1, CreatedAt: s.Now()})
	}
	if err := tx.CreateInBatches(&out, 100).Error; err != nil {
		return nil, err
	}
	return out, s.received(tx, in, out, t, lot)
}

// received writes the first line of every module's life; flood and recall quarantine it at once.
func (s *Room) received(tx *gorm.DB, in ModulesInput, out []store.Module, t store.ModuleType, lot store.Lot) error {
	for i := range out {
		if err := s.Log(tx, kernel.Received, kernel.About{Module: out[i].ID, Lot: lot.ID},
			"Received as %s from %s", t.Name, lot.Supplier); err != nil {
			return err
		}
		if in.FloodOrRecall {
			if err := s.Quarantine(tx, &out[i], "flood or recall history"); err != nil {
				return err
			}
		}
	}
	return nil
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
	Token       string
}

// RecordInspection keeps a look and moves the module on, holds it, quarantines it or scraps it.
func (s *Room) RecordInspection(ctx context.Context, in InspectInput) (outcome look.Outcome, err error) {
	if in.Nothing && len(in.Signs) > 0 {
		return "", kernel.Bad("signs", "'nothing found' was pressed while signs are chosen: take them off, or save "+
			"the look with them")
	}
	var ready []exchange.Picture
	for i, data := range in.Pictures { // scaling takes long: it is done before the transaction
		p, err := exchange.ReadPicture(ctx, data)
		if err != nil {
			return "", kernel.Bad("picture", "picture %d: %v", i+1, err)
		}
		ready = append(ready, p)
	}
	err = s.Action(ctx, in.Token, "inspection", func(tx *gorm.DB) error {
		outcome, err = s.look(tx, in, ready)
		return err
	})
	return outcome, err
}

// LookAll keeps that several modules of a lot were looked at and nothing was found on them, each with a record of its
// own: all of them, or none.
func (s *Room) LookAll(ctx context.Context, lotID int64, numbers []string, token string) error {
	if len(numbers) == 0 {
		return kernel.Bad("", "no module is left to keep: the odd ones are looked at one by one")
	}
	return s.Action(ctx, token, "inspection", func(tx *gorm.DB) error {
		for i, n := range numbers {
			m, err := kernel.ModuleByNumber(tx, n)
			if err != nil {
				return err
			}
			if m.LotID != lotID || m.Station != station.Inspect {
				return kernel.Bad("", "%s does not wait for a look in this lot any more: load the page anew", m.Number)
			}
			if _, err := s.look(tx, InspectInput{Number: n, Nothing: true, Note: "looked at with its lot",
				Token: fmt.Sprintf("%s-%d", token, i)}, nil); err != nil {
				return err
			}
		}
		return nil
	})
}

// look keeps one look inside a transaction.
func (s *Room) look(tx *gorm.DB, in InspectInput, ready []exchange.Picture) (outcome look.Outcome, err error) {
	m, err := kernel.ModuleByNumber(tx, in.Number)
	if err != nil {
		return "", err
	}
	t, err := kernel.TypeByID(tx, m.TypeID)
	if err != nil {
		return "", err
	}
	var fs []finding.Finding
	if outcome, fs, err = look.JudgeSigns(look.Seen{Words: in.Signs, Mended: in.Mended, ThicknessMM: in.ThicknessMM,
		NominalMM: t.ThicknessMM}); err != nil {
		field := "signs"
		if errors.Is(err, look.ErrThickness) {
			field = "thickness_mm"
		}
		return "", kernel.Bad(field, "%v", err)
	}
	if outcome == look.GoOn && in.ThicknessMM == 0 {
		if err := s.measuredThick(tx, m, t); err != nil {
			return "", err
		}
	}
	row := store.Inspection{ModuleID: m.ID, SeenBy: kernel.Acts(tx), SeenAt: s.Now(),
		Signs: strings.Join(in.Signs, " "), Outcome: outcome, Note: strings.TrimSpace(in.Note),
		ThicknessMM: in.ThicknessMM, Findings: store.JSONOf(fs), Token: in.Token}
	if err := tx.Create(&row).Error; err != nil {
		return "", err
	}
	what := look.Told(fs)
	if err := s.Log(tx, "inspection", kernel.About{Module: m.ID}, "Looked at: %s; %s", what, outcome); err != nil {
		return "", err
	}
	for i, p := range ready {
		if _, err := s.Record.KeepPicture(tx, record.PictureInput{Kind: record.PictureLook, Module: m.Number,
			InspectionID: row.ID, Caption: what, Data: in.Pictures[i], Token: fmt.Sprintf("%s-%d", in.Token, i)},
			p); err != nil {
			return "", err
		}
	}
	return outcome, s.afterLook(tx, m, t, row, what)
}

// measuredThick asks for a thickness where the last one on record was too much: what a caliper found is not lifted by
// an eye. The last one counts struck too: a slip is corrected by measuring.
func (s *Room) measuredThick(tx *gorm.DB, m store.Module, t store.ModuleType) error {
	row, ok, err := kernel.Find[store.Inspection](tx.Where("module_id = ? AND thickness_mm > 0", m.ID).Order("id DESC"))
	if err != nil || !ok {
		return err
	}
	outcome, _, err := look.JudgeSigns(look.Seen{ThicknessMM: row.ThicknessMM, NominalMM: t.ThicknessMM})
	if err != nil || outcome == look.GoOn {
		return err
	}
	return kernel.Bad("thickness_mm", "%s was measured at %s mm on %s, where %s mm is nominal: expected its thickness "+
		"again, at the same place", m.Number, numeral.Text(row.ThicknessMM), s.Here(row.SeenAt).Format("2006-01-02"),
		numeral.Text(t.ThicknessMM))
}

// afterLook sends a module where a look says: on, away, or to be looked at again.
func (s *Room) afterLook(tx *gorm.DB, m store.Module, t store.ModuleType, row store.Inspection, what string) error {
	switch row.Outcome {
	case look.Scrap:
		if err := s.MoveTo(tx, &m, station.Out); err != nil {
			return err
		}
		return s.Quarantine(tx, &m, "scrap: "+what) // for ever, nothing else is held
	case look.Quarantine:
		return s.Quarantine(tx, &m, what)
	case look.GoOn:
		if m.Station != station.Inspect {
			break
		}
		next := station.Map
		if t.LayoutID != nil {
			next = station.Survey
		}
		if err := s.MoveTo(tx, &m, next); err != nil {
			return err
		}
	}
	return nil
}
