package kernel

import (
	"context"
	"fmt"
	"slices"

	"gorm.io/gorm"

	"pandrel/core/base/station"
	"pandrel/store"
)

// Action runs f in a transaction, after noting the form's token. A token seen before ends it with Again and saves
// nothing. Modules that it logged something about, or touched otherwise, are judged again before it is committed: what
// holds a module follows from its record, whoever changes that.
func (s *Kernel) Action(ctx context.Context, token, path string, f func(tx *gorm.DB) error) error {
	var changed touched
	return s.Store.Write(context.WithValue(ctx, touchedKey{}, &changed), func(tx *gorm.DB) error {
		changed.ids = nil
		if token != "" {
			was, ok, err := Find[store.Submission](tx.Where("token = ?", token))
			if err != nil {
				return err
			}
			if ok {
				return &Again{Undone: was.Undone}
			}
			if err := tx.Create(&store.Submission{Token: token, At: s.Now(), Path: path}).Error; err != nil {
				return err
			}
		}
		if err := f(tx); err != nil {
			return err
		}
		for _, id := range changed.ids {
			if err := s.Hold(tx, id); err != nil {
				return err
			}
		}
		return nil
	})
}

// touched are the modules whose record an action changed.
type touched struct{ ids []int64 }

// touchedKey is where the context of an action holds them.
type touchedKey struct{}

// Touch says that an action changed what is on record of a module, where no line of the log says so.
func Touch(tx *gorm.DB, moduleID int64) {
	t, ok := tx.Statement.Context.Value(touchedKey{}).(*touched)
	if ok && moduleID > 0 && !slices.Contains(t.ids, moduleID) {
		t.ids = append(t.ids, moduleID)
	}
}

// Received is the kind of line of the log for a module of which nothing is on record yet.
const Received = "received"

// About names what an event is about.
type About struct{ Module, Bank, Lot, Typ int64 }

func Ref(id int64) *int64 {
	if id == 0 {
		return nil
	}
	return &id
}

// Log writes down what somebody did: whoever acts in the context of tx.
func (s *Kernel) Log(tx *gorm.DB, kind string, a About, format string, args ...any) error {
	if kind != Received {
		Touch(tx, a.Module)
	}
	return s.log(tx, Acts(tx), kind, a, fmt.Sprintf(format, args...))
}

// Note writes down what happened by itself.
func (s *Kernel) Note(tx *gorm.DB, kind string, a About, format string, args ...any) error {
	return s.log(tx, nobody, kind, a, fmt.Sprintf(format, args...))
}

func (s *Kernel) log(tx *gorm.DB, who, kind string, a About, text string) error {
	return tx.Create(&store.Event{At: s.Now(), Who: who, Kind: kind, ModuleID: Ref(a.Module), BankID: Ref(a.Bank),
		LotID: Ref(a.Lot), TypeID: Ref(a.Typ), Text: text}).Error
}

// MoveTo sends a module to a station; it keeps the time since which it waits there.
func (s *Kernel) MoveTo(tx *gorm.DB, m *store.Module, to station.Station) error {
	if m.Station == to {
		return nil
	}
	m.Station, m.StationSince = to, s.Now()
	return tx.Model(m).Where("id = ?", m.ID).Updates(map[string]any{"station": to,
		"station_since": m.StationSince}).Error
}

// ModuleWithType finds a module by its number, in any case, with its type.
func (s *Kernel) ModuleWithType(ctx context.Context, number string) (store.Module, store.ModuleType, error) {
	return ModuleWithType(s.Store.DB.WithContext(ctx), number)
}

// Module finds a module by its number, in any case.
func (s *Kernel) Module(ctx context.Context, number string) (store.Module, error) {
	return ModuleByNumber(s.Store.DB.WithContext(ctx), number)
}

// Type finds a module type.
func (s *Kernel) Type(ctx context.Context, id int64) (store.ModuleType, error) {
	return TypeByID(s.Store.DB.WithContext(ctx), id)
}

// Usable returns an error when m may not be worked on further.
func Usable(m store.Module) error {
	if m.Quarantined {
		return BlockedBy(CodeQuarantined, m.Number, fmt.Sprintf("%s is in quarantine: %s", m.Number, m.QuarantineWhy),
			"It cannot be tested, matched or wired.")
	}
	return nil
}

// Quarantine marks m; it is never lifted by a later result.
func (s *Kernel) Quarantine(tx *gorm.DB, m *store.Module, why string) error {
	if m.Quarantined {
		return nil
	}
	m.Quarantined, m.QuarantineWhy = true, why
	if err := tx.Model(m).Where("id = ?", m.ID).Updates(map[string]any{"quarantined": true,
		"quarantine_why": why}).Error; err != nil {
		return err
	}
	return s.Log(tx, "quarantine", About{Module: m.ID}, "Quarantined: %s", why)
}

// Yes says it in a word.
func Yes(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}
