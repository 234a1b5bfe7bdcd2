package bank

import (
	"context"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/bank/bms"
	"pandrel/core/base/station"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// DeviceInput makes or changes a BMS of the workshop's own.
type DeviceInput struct {
	ID      int64
	Version int
	Device  bms.Device
	Note    string
	Token   string
}

// SaveDevice keeps a BMS of the workshop's own, as far as it is known. Banks that chose it keep it as it was then.
func (s *Room) SaveDevice(ctx context.Context, in DeviceInput) (row store.OwnDevice, err error) {
	d := in.Device
	d.Name, d.Own, d.Programmable = strings.TrimSpace(d.Name), true, true
	if d.GroupsLow == 0 {
		d.GroupsLow = 1
	}
	if field, text := d.Check(); field != "" {
		return row, kernel.Bad(field, "%s", text)
	}
	if _, taken := bms.Named(bms.Catalogue(), d.Name); taken {
		return row, kernel.Bad("name", "%s is a device of the catalogue: expected a name of your own for it", d.Name)
	}
	row = store.OwnDevice{ID: in.ID, Name: d.Name, Spec: store.JSONOf(d), Note: strings.TrimSpace(in.Note), Version: 1,
		CreatedAt: s.Now()}
	err = s.Action(ctx, in.Token, "device", func(tx *gorm.DB) error {
		if err := kernel.NameFree[store.OwnDevice](tx, "BMS", d.Name, in.ID); err != nil {
			return err
		}
		if in.ID == 0 {
			if err := tx.Create(&row).Error; err != nil {
				return err
			}
			return s.Log(tx, "device", kernel.About{}, "BMS %s written down", d.Name)
		}
		res := tx.Model(&store.OwnDevice{}).Where("id = ? AND version = ?", in.ID, in.Version).Updates(map[string]any{
			"name": row.Name, "spec": row.Spec, "note": row.Note, "version": in.Version + 1})
		if res.Error != nil {
			return res.Error
		}
		if res.RowsAffected == 0 {
			now, err := kernel.ByID[store.OwnDevice](tx, in.ID, "BMS")
			if err != nil {
				return err
			}
			return &kernel.Conflict{What: "BMS " + now.Name, Version: now.Version, Saved: map[string]string{
				"name": now.Name}}
		}
		row.Version = in.Version + 1
		return s.Log(tx, "device", kernel.About{}, "BMS %s changed", d.Name)
	})
	return row, err
}

// OwnDevices lists the workshop's own BMS by name.
func (s *Room) OwnDevices(ctx context.Context) (out []store.OwnDevice, err error) {
	err = s.Store.DB.WithContext(ctx).Order("name COLLATE NOCASE").Find(&out).Error
	return out, err
}

// OwnDevice finds one.
func (s *Room) OwnDevice(ctx context.Context, id int64) (store.OwnDevice, error) {
	return kernel.ByID[store.OwnDevice](s.Store.DB.WithContext(ctx), id, "BMS")
}

// Devices are all that may be chosen: the workshop's own, and the catalogue.
func (s *Room) Devices(ctx context.Context) ([]bms.Device, error) {
	return devices(s.Store.DB.WithContext(ctx))
}

func devices(db *gorm.DB) ([]bms.Device, error) {
	var rows []store.OwnDevice
	if err := db.Order("name COLLATE NOCASE").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := bms.Catalogue()
	for _, r := range rows {
		d, err := r.Spec.Get()
		if err != nil {
			return nil, err
		}
		out = append(out, d)
	}
	return out, nil
}

// DeviceOf is the BMS of a bank as it was known when it was chosen; ok is false where none is chosen.
func (s *Room) DeviceOf(ctx context.Context, b store.Bank) (d bms.Device, ok bool, err error) {
	switch {
	case b.BMS == "":
		return d, false, nil
	case b.Device.Set():
		d, err = b.Device.Get()
		return d, err == nil, err
	}
	list, err := s.Devices(ctx)
	if err != nil {
		return d, false, err
	}
	d, ok = bms.Named(list, b.BMS)
	return d, ok, nil
}

// ChooseBMS sets a bank's BMS. A refused device cannot be chosen.
func (s *Room) ChooseBMS(ctx context.Context, bankID int64, version int, name, token string) error {
	return s.Action(ctx, token, "bms", func(tx *gorm.DB) error {
		b, err := BankByID(tx, bankID)
		if err != nil {
			return err
		}
		if b.Version != version {
			return &kernel.Conflict{What: "Bank " + b.Name, Version: b.Version, Saved: map[string]string{"bms": b.BMS}}
		}
		n, err := b.Need.Get()
		if err != nil {
			return err
		}
		if !b.Design.Set() {
			return kernel.Bad("", "design the bank before choosing its BMS")
		}
		if b.Station == station.Keep {
			return kernel.Bad("", "%s is in service: take it out of service before its BMS is changed", b.Name)
		}
		d, err := b.Design.Get()
		if err != nil {
			return err
		}
		if d.DriftAhDay, err = worstDrift(tx, d); err != nil {
			return err
		}
		list, err := devices(tx)
		if err != nil {
			return err
		}
		dev, ok := bms.Named(list, name)
		if !ok {
			return kernel.Bad("bms", "there is no BMS %q", name)
		}
		if c, ok := d.Chosen(n, dev); !ok || c.Refused {
			return kernel.Stopped(c.Findings)
		}
		set := map[string]any{"bms": name, "device": store.JSONOf(dev), "design_version": b.DesignVersion + 1,
			"version": b.Version + 1}
		if err := tx.Model(&store.Bank{}).Where("id = ?", b.ID).Updates(set).Error; err != nil {
			return err
		}
		return s.Log(tx, "bms", kernel.About{Bank: b.ID}, "BMS chosen: %s", name)
	})
}
