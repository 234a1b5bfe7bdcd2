package receive

import (
	"context"
	"strings"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/store"
)

// codeHistoryStays names the finding that a flood is not taken back by a later answer.
const codeHistoryStays = "history-stays"

// HistoryInput is what is known of where a module was. It can be changed later; every change stays in the log.
type HistoryInput struct {
	Number  string
	History string
	Note    string
	Token   string
}

// SaveHistory writes a module's history down. Flood and recall send it to quarantine for ever.
func (s *Room) SaveHistory(ctx context.Context, in HistoryInput) error {
	ok := false
	for _, h := range record.AskedHistory {
		ok = ok || h == in.History
	}
	if !ok {
		return kernel.Bad("history", "expected one of %s", strings.Join(record.AskedHistory, ", "))
	}
	return s.Action(ctx, in.Token, "history", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		bad := in.History == "flood" || in.History == "recall"
		if (m.History == "flood" || m.History == "recall") && !bad {
			return kernel.Stopped([]finding.Finding{finding.New(finding.Refuse, codeHistoryStays).About(m.Number).
				By("hazards").Says("Flood or recall history is on record: it is not taken back by a later answer.").
				Then("The module stays in quarantine.")})
		}
		note := strings.TrimSpace(in.Note)
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Updates(map[string]any{"history": in.History,
			"history_note": note, "flood_or_recall": bad}).Error; err != nil {
			return err
		}
		was := m.History
		if was == "" {
			was = "not asked"
		}
		if err := s.Log(tx, "history", kernel.About{Module: m.ID},
			"History: %s, before: %s. %s", in.History, was, note); err != nil {
			return err
		}
		if bad {
			if err := s.Quarantine(tx, &m, in.History+" history"); err != nil {
				return err
			}
		}
		return nil
	})
}

// PlateInput is what a module's own plate says, 0 Ah where its type's rating counts.
type PlateInput struct {
	Number  string
	PlateAh float64
	Why     string
	Token   string
}

// SavePlate puts the rating of one module right, such as one that an import took from another column. What was tested
// stays; a grade that would be worse by it no longer lets the module on.
func (s *Room) SavePlate(ctx context.Context, in PlateInput) error {
	c := kernel.Checks{}
	c.Need(in.PlateAh >= 0 && in.PlateAh < 1e5, "plate_ah",
		"expected the plate's capacity, 0 Ah where its type's counts")
	c.Need(strings.TrimSpace(in.Why) != "", "why", "say where it stands, or what was wrong")
	if err := c.Err(); err != nil {
		return err
	}
	return s.Action(ctx, in.Token, "plate", func(tx *gorm.DB) error {
		m, err := kernel.ModuleByNumber(tx, in.Number)
		if err != nil {
			return err
		}
		if err := tx.Model(&store.Module{}).Where("id = ?", m.ID).Update("plate_ah", in.PlateAh).Error; err != nil {
			return err
		}
		return s.Log(tx, "plate", kernel.About{Module: m.ID}, "Capacity by its own plate: %s Ah, before: %s Ah. %s",
			numeral.Text(in.PlateAh), numeral.Text(m.PlateAh), strings.TrimSpace(in.Why))
	})
}
