package record

import (
	"context"
	"strings"
	"unicode/utf8"

	"gorm.io/gorm"

	"pandrel/core/base/typed"
	"pandrel/exchange"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// Kinds of pictures.
const (
	PictureModule = "module"
	PictureLook   = "look"
	PictureScreen = "screen" // of an instrument, to type from
	PictureStep   = "step"   // of a step of a teardown
	PicturePlan   = "plan"   // of a bank, under its drawing or pinned to it
)

// PictureInput is a picture as it was sent. One of Module, TypeID and BankID is set; InspectionID 0 means
// that it shows no finding.
type PictureInput struct {
	Kind         string
	Module       string
	TypeID       int64
	BankID       int64
	InspectionID int64
	Caption      string
	Data         []byte
	Token        string
}

// AddPicture scales a picture, takes out everything but the picture, and keeps it. It is kept in the
// workshop's file, so that a backup holds it.
func (s *Room) AddPicture(ctx context.Context, in PictureInput) (p store.Picture, err error) {
	// Scaling takes long: it is done before the transaction.
	ready, rerr := exchange.ReadPicture(ctx, in.Data)
	if rerr != nil {
		return p, kernel.Bad("picture", "%v", rerr)
	}
	err = s.Action(ctx, in.Token, "picture", func(tx *gorm.DB) error {
		p, err = s.KeepPicture(tx, in, ready)
		return err
	})
	return p, err
}

func (s *Room) KeepPicture(tx *gorm.DB, in PictureInput, ready exchange.Picture) (p store.Picture, err error) {
	p = store.Picture{Kind: in.Kind, Caption: strings.TrimSpace(in.Caption), OriginalSha256: kernel.Hash(in.Data),
		Width: ready.Width, Height: ready.Height, TakenBy: kernel.Acts(tx), TakenAt: s.Now(), Token: in.Token}
	if most := typed.Longest("caption"); utf8.RuneCountInString(p.Caption) > most {
		return p, kernel.Bad("caption", "expected at most %d letters", most)
	}
	a := kernel.About{Typ: in.TypeID, Bank: in.BankID}
	if in.BankID != 0 {
		p.BankID = &in.BankID
	} else if in.Module != "" {
		m, err := kernel.ModuleByNumber(tx, in.Module)
		if err != nil {
			return p, err
		}
		p.ModuleID, a.Module = &m.ID, m.ID
	} else if _, err := kernel.TypeByID(tx, in.TypeID); err != nil {
		return p, err
	}
	p.TypeID = kernel.Ref(in.TypeID)
	p.InspectionID = kernel.Ref(in.InspectionID)
	if p.Sha256, err = kernel.KeepBlob(tx, ready.JPEG); err != nil {
		return p, err
	}
	if err := tx.Create(&p).Error; err != nil {
		return p, err
	}
	text := "Picture kept"
	if p.Caption != "" {
		text += ": " + p.Caption
	}
	return p, s.Log(tx, "picture", a, "%s", text)
}

// Picture returns what is on record of a picture, without unpacking it.
func (s *Room) Picture(ctx context.Context, id int64) (store.Picture, error) {
	return kernel.ByID[store.Picture](s.Store.DB.WithContext(ctx), id, "picture")
}

// PictureData returns a picture and its JPEG.
func (s *Room) PictureData(ctx context.Context, id int64) (p store.Picture, data []byte, err error) {
	db := s.Store.DB.WithContext(ctx)
	if p, err = kernel.ByID[store.Picture](db, id, "picture"); err != nil {
		return p, nil, err
	}
	data, err = kernel.Blob(db, p.Sha256)
	return p, data, err
}

// PicturesOf returns a module's pictures, newest first.
func (s *Room) PicturesOf(ctx context.Context, moduleID int64) (out []store.Picture, err error) {
	err = s.Store.DB.WithContext(ctx).Where("module_id = ?", moduleID).Order("id DESC").Limit(60).Find(&out).Error
	return out, err
}

// UsedBefore returns the numbers of other modules for which the very same file was sent: somebody
// typed from the wrong picture, or sent it twice.
func (s *Room) UsedBefore(ctx context.Context, p store.Picture) (numbers []string, err error) {
	var own int64
	if p.ModuleID != nil {
		own = *p.ModuleID
	}
	err = s.Store.DB.WithContext(ctx).Raw(`SELECT DISTINCT m.number FROM pictures p JOIN modules m ON m.id =
		p.module_id WHERE p.kind = ? AND p.original_sha256 = ? AND m.id <> ? ORDER BY
		m.number`, PictureScreen, p.OriginalSha256, own).Scan(&numbers).Error
	return numbers, err
}

// OwnPicture fails where a picture is not one of an instrument's screen for this module.
func (s *Room) OwnPicture(tx *gorm.DB, moduleID, pictureID int64) error {
	if pictureID == 0 {
		return nil
	}
	_, err := kernel.Take[store.Picture](tx.Where("id = ? AND module_id = ? AND kind = ?", pictureID, moduleID,
		PictureScreen), kernel.Bad("picture", "the picture belongs to another module: attach one to this module"))
	return err
}
