package measure

import (
	"context"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/module/survey"
	"pandrel/core/procedure/gates"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// WithdrawInput takes back a reading that was a mistake.
type WithdrawInput struct {
	Number   string
	SurveyID int64
	Group    int
	Reason   string
	Token    string
}

// WithdrawReading takes a reading back as a mistake: with a reason, initials, and a second reading in a later survey
// that contradicts it. Both stay on record. What was confirmed below never-recharge cannot be taken back by anyone.
func (s *Room) WithdrawReading(ctx context.Context, in WithdrawInput) error {
	if text := gates.ReasonText(in.Reason, kernel.Signed(ctx)); text != "" {
		return kernel.Bad("reason", "%s", text)
	}
	return s.Action(ctx, in.Token, "withdraw", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		if m.EverBelowNever {
			return kernel.Stopped([]finding.Finding{finding.New(finding.Refuse,
				kernel.CodeNoWithdrawal).About(m.Number).
				By("rules §3").Says("A group below never-recharge was confirmed at rest: that cannot be withdrawn.").
				Then("The module stays in quarantine.")})
		}
		first, ok, err := kernel.Find[store.Survey](record.Counting(tx,
			"surveys").Where("id = ? AND module_id = ?", in.SurveyID, m.ID))
		if err != nil {
			return err
		}
		if !ok {
			return kernel.Missing("survey %d of %s", in.SurveyID, m.Number)
		}
		second, ok, err := kernel.Find[store.Survey](record.Counting(tx,
			"surveys").Where("module_id = ? AND (taken_at > ? OR taken_at = ? AND "+
			"id > ?)", m.ID, first.TakenAt, first.TakenAt, first.ID).Order("taken_at DESC, id DESC"))
		if err != nil {
			return err
		}
		if !ok {
			return kernel.Bad("reason", "read that group a second time first, in a new survey: the second reading "+
				"decides")
		}
		row := store.Withdrawal{ModuleID: m.ID, SurveyID: first.ID, GroupNo: in.Group, SecondID: second.ID,
			Reason: strings.TrimSpace(in.Reason), By: kernel.Who(ctx), At: s.Now(), Token: in.Token}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		// A quarantine that only this reading made is lifted by the person, and the second reading stands.
		if m.Quarantined && m.QuarantineWhy != "" {
			if err := lift(tx, m, first); err != nil {
				return err
			}
		}
		return s.Log(tx, "withdrawn", kernel.About{Module: m.ID}, "Reading of group %d of %s withdrawn as "+
			"a mistake: %s", in.Group, s.Here(first.TakenAt).Format("2006-01-02 15:04"), row.Reason)
	})
}

// lift takes a module out of the quarantine that one survey alone made.
func lift(tx *gorm.DB, m store.Module, first store.Survey) error {
	v, _, ok, err := record.LastSurvey(tx, m.ID)
	if err != nil {
		return err
	}
	if !ok || v.Verdict == survey.Quarantine || v.Verdict == survey.Reread {
		return kernel.Bad("reason", "the second reading says the same: it cannot be a mistake")
	}
	sv, err := record.ResultOf(tx, first.ID)
	if err != nil {
		return err
	}
	mine := false
	for _, f := range sv.Findings {
		mine = mine || f.Text == m.QuarantineWhy
	}
	if !mine {
		return kernel.Bad("reason", "%s is in quarantine for another reason: %s", m.Number, m.QuarantineWhy)
	}
	return tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"quarantined": false,
		"quarantine_why": ""}).Error
}

// Withdrawals lists what was taken back of a module.
func (s *Room) Withdrawals(ctx context.Context, moduleID int64) (out []store.Withdrawal, err error) {
	err = s.Store.DB.WithContext(ctx).Where("module_id = ?", moduleID).Order("id DESC").Find(&out).Error
	return out, err
}
