package procedure

import (
	"context"
	"errors"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/standing"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// ServiceInput is an owner's bank that is to be opened for a survey.
type ServiceInput struct {
	Name  string
	Owner string
	Bank  standing.Bank
	Note  string
	By    string
	Token string
}

// SaveService writes an owner's bank down. It does not change later: its records are about it as it
// was.
func (s *Room) SaveService(ctx context.Context, in ServiceInput) (row store.Service, err error) {
	in.Name = strings.TrimSpace(in.Name)
	c := kernel.Checks{}
	c.Need(in.Name != "", "name", "expected a name for the bank")
	if field, text := in.Bank.Check(); field != "" {
		c.Need(false, field, "%s", text)
	}
	if err := c.Err(); err != nil {
		return row, err
	}
	err = s.Action(ctx, in.Token, "service", func(tx *gorm.DB) error {
		if same, taken, err := kernel.Find[store.Service](tx.Where("name = ? COLLATE NOCASE", in.Name)); err != nil {
			return err
		} else if taken {
			return kernel.Bad("name", "there is a bank %s already", same.Name)
		}
		row = store.Service{Name: in.Name, Owner: strings.TrimSpace(in.Owner), Bank: store.JSONOf(in.Bank), Note: strings.TrimSpace(in.Note), Version: 1, CreatedAt: s.Now()}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return s.Log(tx, kernel.Initials(in.By), "service", kernel.About{}, "Owner's bank %s to be opened", row.Name)
	})
	return row, err
}

// Services lists the owners' banks, newest first.
func (s *Room) Services(ctx context.Context) (out []store.Service, err error) {
	err = s.Store.DB.WithContext(ctx).Order("id DESC").Find(&out).Error
	return out, err
}

// ServiceRecord is a kept record with its findings.
type ServiceRecord struct {
	store.ServiceRecord
	Found []finding.Finding
}

// ServiceView is an owner's bank with its steps, down and up, and all records.
type ServiceView struct {
	Service  store.Service
	Bank     standing.Bank
	Down, Up []gates.State
	Records  []ServiceRecord
	Before   float64 // the bank's voltage when it was taken out of work, 0 where not read yet
}

// Steps lists all steps in order, out of work and back.
func (v ServiceView) Steps() []gates.State {
	return append(append([]gates.State{}, v.Down...), v.Up...)
}

// ServiceByID returns an owner's bank with the state of every step.
func (s *Room) ServiceByID(ctx context.Context, id int64) (ServiceView, error) {
	return ServiceByID(s.Store.DB.WithContext(ctx), id)
}

func ServiceByID(db *gorm.DB, id int64) (v ServiceView, err error) {
	err = db.Where("id = ?", id).Take(&v.Service).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return v, kernel.Missing("owner's bank %d", id)
	} else if err != nil {
		return v, err
	}
	if v.Bank, err = v.Service.Bank.Get(); err != nil {
		return v, err
	}
	var rows []store.ServiceRecord
	if err = db.Where("service_id = ?", id).Order("id").Find(&rows).Error; err != nil {
		return v, err
	}
	var records []gates.Record
	for _, r := range rows {
		records = append(records, gates.Record{Key: r.Step, OK: r.OK, Override: r.Override})
		if r.Step == standing.VoltsKey && r.OK {
			v.Before = r.Value
		}
		fs, err := r.Findings.Get()
		if err != nil {
			return v, err
		}
		v.Records = append(v.Records, ServiceRecord{r, fs})
	}
	down := standing.Down(v.Bank)
	all := gates.States(append(down, standing.Up(v.Bank, v.Before)...), records)
	v.Down, v.Up = all[:len(down)], all[len(down):]
	return v, nil
}

// RecordServiceStep keeps a step. It is blocked while an earlier gate is open.
func (s *Room) RecordServiceStep(ctx context.Context, serviceID int64, in StepInput) (fs []finding.Finding, err error) {
	err = s.Action(ctx, in.Token, "service-step", func(tx *gorm.DB) error {
		v, err := ServiceByID(tx, serviceID)
		if err != nil {
			return err
		}
		d, err := takeStep(v.Steps(), in, nil)
		if err != nil {
			return err
		}
		fs = d.found
		row := store.ServiceRecord{ServiceID: serviceID, Step: in.Step, DoneBy: kernel.Initials(in.By), DoneAt: s.Now(), OK: d.ok, Value: d.value, Reading: d.reading, Findings: store.JSONOf(d.found), Override: d.override, Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return s.Log(tx, row.DoneBy, "service", kernel.About{}, "%s, %s: %s", v.Service.Name, d.Title, d.text())
	})
	return fs, err
}
