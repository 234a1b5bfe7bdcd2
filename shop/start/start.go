// Package start takes what somebody has and makes of it, in one action, what the first answer needs: a type with a
// declared layout, modules with numbers, a need.
package start

import (
	"context"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/numeral"
	"pandrel/shop/bank"
	"pandrel/shop/kernel"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/types"
	"pandrel/store"
)

// Room is the beginning of a job, with the rooms it asks.
type Room struct {
	*kernel.Kernel
	Record  *record.Room
	Receive *receive.Room
	Types   *types.Room
	Bank    *bank.Room
}

// Input is what somebody has, as far as it is known: modules or loose cells of one type, known already (TypeID) or New.
// First is the first label number, "" for the next free one of Stem. Class is the system that a bank is wanted for, 0
// for none yet.
type Input struct {
	TypeID  int64
	New     types.NewInput
	Count   int
	First   string
	Stem    string
	PlateAh float64
	Joined  int // how many of them stand in parallel for good under one label, 0 or 1 for each by itself
	Class   int
	Groups  int // that the bank must have where no system is known, 0 for none
	LoadW   float64
	LoadA   float64 // of what amps are known and no watts
	Load    string  // as it was typed, of several devices or in VA
	KWh     float64
	From    string  // whose they are, or from whom; "" for own stock
	Papers  bool    // new, with their maker's papers
	About   bool    // SaidPct is about that, and not that or better
	SaidPct float64 // of rated capacity, as somebody said; 0 for nothing said
	For     string  // the bank's name, "" for one of its own
	Token   string
}

// Made is what came of it. Bank is the zero bank where none was wanted.
type Made struct {
	Type    store.ModuleType
	Lot     store.Lot
	Modules []store.Module
	Bank    store.Bank
}

// Begin makes type, modules and need in one transaction: all of it, or nothing.
func (s *Room) Begin(ctx context.Context, in Input) (out Made, err error) {
	c := kernel.Checks{}
	c.Need(in.Count >= 1 && in.Count <= 500, "count", "expected how many there are, 1 to 500")
	c.Need(in.PlateAh >= 0 && in.PlateAh < 1e5, "plate_ah", "expected the plate's capacity, empty where it is not "+
		"known")
	c.Need(in.Joined >= 0 && in.Joined <= 20, "joined", "expected how many stand joined in parallel, 1 to 20")
	c.Need(in.Joined < 2 || in.TypeID == 0, "joined", "describe the joined ones as a new type above: what stands "+
		"joined is measured, tested and built in as one, with the amp hours of all of them")
	if err := c.Err(); err != nil {
		return out, err
	}
	if in.Joined > 1 { // one voltage at its posts, one capacity: nothing can be told of one of them alone
		in.New.RatedAh, in.New.RatedWh = in.New.RatedAh*float64(in.Joined), in.New.RatedWh*float64(in.Joined)
	}
	err = s.Action(ctx, in.Token, "start", func(tx *gorm.DB) error {
		if in.TypeID > 0 {
			out.Type, err = kernel.TypeByID(tx, in.TypeID)
		} else {
			out.Type, err = s.Types.Make(tx, in.New)
		}
		if err != nil {
			return err
		}
		if out.Lot, err = s.lot(tx, in); err != nil {
			return err
		}
		first := strings.TrimSpace(in.First)
		if first == "" {
			if first, err = receive.NextNumber(tx, in.Stem); err != nil {
				return err
			}
		}
		out.Modules, err = s.Receive.Add(tx, receive.ModulesInput{LotID: out.Lot.ID, TypeID: out.Type.ID, First: first,
			Count: in.Count, PlateAh: in.PlateAh})
		if err != nil || in.Class == 0 && in.Groups == 0 {
			return err
		}
		out.Bank, err = s.need(tx, in)
		return err
	})
	return out, err
}

// lot is what they came with: own stock, or an arrival of its own where anything was said of it.
func (s *Room) lot(tx *gorm.DB, in Input) (store.Lot, error) {
	if strings.TrimSpace(in.From) == "" && !in.Papers && in.SaidPct == 0 {
		return s.Receive.OwnLot(tx)
	}
	lot := receive.LotInput{Supplier: in.From, Papers: in.Papers, ClaimedSoHPct: in.SaidPct,
		ClaimAbout: in.About}
	switch {
	case in.Papers:
		lot.Claims = "new, with their papers"
	case in.SaidPct > 0:
		lot.Claims = fmt.Sprintf("said to hold %s %% of rated", numeral.Text(in.SaidPct))
	}
	return s.Receive.LotOf(tx, lot)
}

// need is the bank that the modules are for.
func (s *Room) need(tx *gorm.DB, in Input) (store.Bank, error) {
	name := strings.TrimSpace(in.For)
	if name == "" {
		unnamed := fmt.Sprintf("%d V bank", in.Class)
		if in.Class == 0 {
			unnamed = fmt.Sprintf("Bank of %s", numeral.Count(in.Groups, "group"))
		}
		var err error
		if name, err = bank.FreeName(tx, unnamed); err != nil {
			return store.Bank{}, err
		}
	}
	return s.Bank.Need(tx, bank.NeedInput{Name: name, Need: plan.Need{Need: window.Need{Class: in.Class,
		Series:    in.Groups,
		LoadWatts: in.LoadW, LoadA: in.LoadA, LoadText: in.Load, WantedKWh: in.KWh}}})
}
