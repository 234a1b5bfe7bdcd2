package procedure

import (
	"context"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/pack"
	"pandrel/shop/kernel"
	"pandrel/shop/receive"
	"pandrel/shop/steps"
	"pandrel/store"
)

// PackInput is a whole pack as it arrived.
type PackInput struct {
	Name  string
	LotID int64
	Pack  pack.Pack
	Note  string
	Token string
}

// SavePack writes a pack down. What it is does not change later: its records are about these modules in this order.
func (s *Room) SavePack(ctx context.Context, in PackInput) (p store.Bank, err error) {
	in.Name = strings.TrimSpace(in.Name)
	c := kernel.Checks{}
	c.Need(in.Name != "", "name", "expected a name for the pack")
	if _, perr := pack.Split(in.Pack); perr != nil {
		c.Need(false, "volts", "%v", perr)
	}
	if err := c.Err(); err != nil {
		return p, err
	}
	err = s.Action(ctx, in.Token, "pack", func(tx *gorm.DB) error {
		if err := kernel.NameFree[store.Bank](tx, "bank", in.Name, 0); err != nil {
			return err
		}
		lot, err := kernel.Take[store.Lot](tx.Where("id = ?", in.LotID),
			kernel.Bad("lot", "choose the lot it came with"))
		if err != nil {
			return err
		}
		p = store.Bank{Origin: store.Whole, Name: in.Name, LotID: &lot.ID, Pack: store.JSONOf(in.Pack),
			Note: strings.TrimSpace(in.Note), Version: 1, StationSince: s.Now(), CreatedAt: s.Now()}
		if err := tx.Create(&p).Error; err != nil {
			return err
		}
		return s.Log(tx, "pack", kernel.About{Lot: lot.ID},
			"Pack %s written down: %s", p.Name, numeral.Count(len(in.Pack.Volts), "module"))
	})
	return p, err
}

// PackView is a pack with its plan and how far it is.
type PackView struct {
	Pack    store.Bank
	Volts   []float64
	Plan    pack.Plan
	States  []gates.State
	Records []steps.Record
	Struck  []store.Strike // what was taken back of them
	// Places is where the disconnect may sit, nil where that is known.
	Places []pack.Place

	work *steps.Work
}

// LocateDisconnect returns the places in a pack that agree with a reading from its main negative to
// the pulled disconnect.
func (s *Room) LocateDisconnect(ctx context.Context, id int64, volts float64) ([]pack.Place, error) {
	v, err := s.PackByID(ctx, id)
	if err != nil {
		return nil, err
	}
	p, err := v.Pack.Pack.Get()
	if err != nil {
		return nil, err
	}
	got, err := pack.Located(p, volts)
	if err != nil {
		return nil, kernel.Bad("side_v", "%v", err)
	}
	return got, nil
}

// PackByID returns a pack with its plan, the state of every step and all records.
func (s *Room) PackByID(ctx context.Context, id int64) (PackView, error) {
	return packByID(s.Store.DB.WithContext(ctx), id)
}

func packByID(db *gorm.DB, id int64) (v PackView, err error) {
	if v.Pack, err = kernel.Take[store.Bank](db.Where("id = ? AND origin = ?", id, store.Whole),
		kernel.Missing("pack %d", id)); err != nil {
		return v, err
	}
	p, err := v.Pack.Pack.Get()
	if err != nil {
		return v, err
	}
	v.Volts = p.Volts
	if v.Plan, err = pack.Split(p); err != nil {
		return v, err
	}
	if p.DisconnectAfter == 0 {
		if v.Places, err = pack.Places(p); err != nil {
			return v, err
		}
	}
	v.work = &steps.Work{Kind: Pack, ID: id, Name: "Pack " + v.Pack.Name + ", ", Event: "pack",
		About: kernel.About{Lot: lotOf(v.Pack)}, Near: func(st gates.Step, volts float64) (bool, finding.Finding) {
			return pack.JudgeVolts(st, volts, v.Plan.LimitVolts)
		}}
	err = v.work.Recall(db, func([]steps.Record) []gates.Step { return pack.Steps(p, v.Plan) })
	v.States, v.Records, v.Struck = v.work.States, v.work.Records, v.work.Struck
	return v, err
}

// lotOf is the lot that a pack came with, 0 for none.
func lotOf(b store.Bank) int64 {
	if b.LotID == nil {
		return 0
	}
	return *b.LotID
}

// ReceiveFromPack receives the modules of a split pack into its lot. It is blocked while a step of the split is
// open, and takes no more modules than the pack had.
func (s *Room) ReceiveFromPack(ctx context.Context, packID int64, in receive.ModulesInput) (lotID int64, err error) {
	v, err := s.PackByID(ctx, packID)
	if err != nil {
		return 0, err
	}
	for _, st := range v.States {
		if st.Gate && !st.Done {
			return 0, kernel.BlockedBy(codePackNotSplit, "pack "+v.Pack.Name,
				fmt.Sprintf("'%s' is not done: its modules are still one pack.", st.Title), "Finish the split first.")
		}
	}
	lot := lotOf(v.Pack)
	if lot == 0 {
		return 0, kernel.Bad("", "pack %s belongs to no lot: write down the lot it came in first", v.Pack.Name)
	}
	note := "from pack " + v.Pack.Name
	var before int64
	if err := s.Store.DB.WithContext(ctx).Model(&store.Module{}).Where("lot_id = ? AND plate_note = ?", lot,
		note).Count(&before).Error; err != nil {
		return 0, err
	}
	if left := len(v.Volts) - int(before); in.Count > left {
		return 0, kernel.Bad("count", "%s: %d of the pack's %d are left", numeral.Count(in.Count, "module"), left,
			len(v.Volts))
	}
	in.LotID, in.PlateNote = lot, note
	_, err = s.Receive.AddModules(ctx, in)
	return lot, err
}
