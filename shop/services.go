package shop

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/finding"
	"pandrel/core/gates"
	"pandrel/core/layout"
	"pandrel/core/service"
	"pandrel/store"
)

// ServiceInput is an owner's bank that is to be opened for a survey.
type ServiceInput struct {
	Name  string
	Owner string
	Bank  service.Bank
	Note  string
	By    string
	Token string
}

// SaveService writes an owner's bank down. It does not change later: its records are about it as it
// was.
func (s *Shop) SaveService(ctx context.Context, in ServiceInput) (row store.Service, err error) {
	in.Name = strings.TrimSpace(in.Name)
	c := checks{}
	c.need(in.Name != "", "name", "expected a name for the bank")
	if field, text := in.Bank.Check(); field != "" {
		c.need(false, field, "%s", text)
	}
	if err := c.err(); err != nil {
		return row, err
	}
	err = s.action(ctx, in.Token, "service", func(tx *gorm.DB) error {
		var same store.Service
		if err := tx.Where("name = ? COLLATE NOCASE", in.Name).Take(&same).Error; err == nil {
			return Bad("name", "there is a bank %s already", same.Name)
		}
		row = store.Service{Name: in.Name, Owner: strings.TrimSpace(in.Owner), Bank: toJSON(in.Bank), Note: strings.TrimSpace(in.Note), Version: 1, CreatedAt: s.now()}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return s.log(tx, initials(in.By), "service", about{}, "Owner's bank %s to be opened", row.Name)
	})
	return row, err
}

// Services lists the owners' banks, newest first.
func (s *Shop) Services(ctx context.Context) (out []store.Service, err error) {
	err = s.st.DB.WithContext(ctx).Order("id DESC").Find(&out).Error
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
	Bank     service.Bank
	Down, Up []gates.State
	Records  []ServiceRecord
	Before   float64 // the bank's voltage when it was taken out of work, 0 where not read yet
}

// ServiceByID returns an owner's bank with the state of every step.
func (s *Shop) ServiceByID(ctx context.Context, id int64) (ServiceView, error) {
	return serviceByID(s.st.DB.WithContext(ctx), id)
}

func serviceByID(db *gorm.DB, id int64) (v ServiceView, err error) {
	err = db.Where("id = ?", id).Take(&v.Service).Error
	if errors.Is(err, gorm.ErrRecordNotFound) {
		return v, &NotFound{fmt.Sprintf("owner's bank %d", id)}
	} else if err != nil {
		return v, err
	}
	if v.Bank, err = fromJSON[service.Bank](v.Service.Bank); err != nil {
		return v, err
	}
	var rows []store.ServiceRecord
	if err = db.Where("service_id = ?", id).Order("id").Find(&rows).Error; err != nil {
		return v, err
	}
	var records []gates.Record
	for _, r := range rows {
		records = append(records, gates.Record{Key: r.Step, OK: r.OK, Override: r.Override})
		if r.Step == service.VoltsKey && r.OK {
			v.Before = r.Value
		}
		fs, err := fromJSON[[]finding.Finding](r.Findings)
		if err != nil {
			return v, err
		}
		v.Records = append(v.Records, ServiceRecord{r, fs})
	}
	down := service.Down(v.Bank)
	all := gates.States(append(down, service.Up(v.Bank, v.Before)...), records)
	v.Down, v.Up = all[:len(down)], all[len(down):]
	return v, nil
}

// ServiceStepInput records one step of an owner's bank.
type ServiceStepInput struct {
	ServiceID int64
	Step      string
	Value     float64
	Case      layout.CaseReadings
	Confirm   bool
	Override  string
	By        string
	Token     string
}

// RecordServiceStep keeps a step. It is blocked while an earlier gate is open.
func (s *Shop) RecordServiceStep(ctx context.Context, in ServiceStepInput) (fs []finding.Finding, err error) {
	err = s.action(ctx, in.Token, "service-step", func(tx *gorm.DB) error {
		v, err := serviceByID(tx, in.ServiceID)
		if err != nil {
			return err
		}
		st, open, err := gates.MayRecord(append(append([]gates.State{}, v.Down...), v.Up...), in.Step)
		if err != nil {
			return Bad("", "%v", err)
		}
		if open != nil {
			return &Blocked{[]finding.Finding{*open}}
		}
		override, err := written(st.Step, in.Override)
		if err != nil {
			return err
		}
		ok, reading, found, err := judgeServiceStep(st.Step, in)
		if err != nil {
			return err
		}
		if !ok && override == "" && st.Ask == gates.AskConfirm {
			return Bad("confirm", "tick it when it is so; expected a tick, or a written reason")
		}
		fs = found
		row := store.ServiceRecord{ServiceID: in.ServiceID, Step: in.Step, DoneBy: initials(in.By), DoneAt: s.now(), OK: ok, Value: in.Value, Reading: reading, Findings: toJSON(found), Override: override, Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		return s.log(tx, row.DoneBy, "service", about{}, "%s, %s: %s", v.Service.Name, st.Title, stepText(ok, override))
	})
	return fs, err
}

// written checks a reason for passing over a step: it must be allowed, and be one.
func written(st gates.Step, reason string) (string, error) {
	reason = strings.TrimSpace(reason)
	if reason == "" {
		return "", nil
	}
	if no := gates.MayOverride(st); no != nil {
		return "", &Blocked{[]finding.Finding{*no}}
	}
	if len([]rune(reason)) < leastReason {
		return "", Bad("override", "expected a reason that somebody else will understand, %d letters or more", leastReason)
	}
	return reason, nil
}

// stepText says for the log how a step went.
func stepText(ok bool, override string) string {
	switch {
	case override != "":
		return "passed over in writing: " + override
	case !ok:
		return "did not pass"
	}
	return "done"
}

// judgeCase judges isolation for a step. Passed over without readings, it finds nothing.
func judgeCase(c layout.CaseReadings, override string) (ok bool, reading string, fs []finding.Finding, err error) {
	if override != "" && c.PackVolts == 0 {
		return false, "", []finding.Finding{}, nil
	}
	iso, found, err := layout.JudgeIsolation(c)
	if err != nil {
		return false, "", nil, Bad("pack_v", "%v", err)
	}
	return iso.Verdict != "stop", fmt.Sprintf("%.1f V; positive %.2f V, negative %.2f V to case", c.PackVolts, c.PositiveVolts, c.NegativeVolts), found, nil
}

func judgeServiceStep(st gates.Step, in ServiceStepInput) (ok bool, reading string, fs []finding.Finding, err error) {
	switch st.Ask {
	case gates.AskReading:
		ok, f := gates.JudgeReading(st, in.Value)
		return ok, fmt.Sprintf("%.4g %s", in.Value, st.Unit), []finding.Finding{f}, nil
	case gates.AskIsolation:
		return judgeCase(in.Case, in.Override)
	}
	return in.Confirm, "", []finding.Finding{}, nil
}
