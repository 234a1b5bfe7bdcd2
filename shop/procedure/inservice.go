package procedure

import (
	"context"
	"slices"
	"sync"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/core/procedure/commission"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// InService is a bank in service that would be refused if it were put in today.
type InService struct {
	Bank     store.Bank
	Findings []finding.Finding
}

// kept is what was found of a bank in service, and by which state of its record.
type kept struct {
	mu   sync.Mutex
	byID map[int64]found
}

type found struct {
	version, event int64
	rules          string
	findings       []finding.Finding
}

// DoubtedInService lists the banks in service that would be refused today: what refuses a way in calls back what
// stands. A bank of whose record nothing was written since it was last asked is not judged anew.
func (s *Room) DoubtedInService(ctx context.Context) (out []InService, err error) {
	db := s.Store.DB.WithContext(ctx)
	var banks []store.Bank
	if err := db.Where("station = ? AND design <> ''", station.Keep).Order("id DESC").Find(&banks).Error; err != nil {
		return nil, err
	}
	for _, b := range banks {
		fs, err := s.doubted(ctx, db, b)
		if err != nil {
			return nil, err
		}
		if len(fs) > 0 {
			out = append(out, InService{b, fs})
		}
	}
	return out, nil
}

func (s *Room) doubted(ctx context.Context, db *gorm.DB, b store.Bank) ([]finding.Finding, error) {
	var event int64
	if err := db.Raw("SELECT max(coalesce((SELECT max(id) FROM events WHERE bank_id = ?), 0), coalesce((SELECT "+
		"max(e.id) FROM events e JOIN modules m ON m.id = e.module_id WHERE m.bank_id = ?), 0), coalesce((SELECT "+
		"max(e.id) FROM events e JOIN modules m ON m.type_id = e.type_id WHERE m.bank_id = ?), 0))", b.ID, b.ID,
		b.ID).Scan(&event).Error; err != nil {
		return nil, err
	}
	s.inService.mu.Lock()
	was, ok := s.inService.byID[b.ID]
	s.inService.mu.Unlock()
	if ok && was.version == int64(b.Version) && was.event == event && was.rules == kernel.RulesVersion {
		return was.findings, nil
	}
	_, n, d, w, err := s.wired(ctx, b.ID)
	if err != nil {
		return nil, err
	}
	c, err := s.commission(db, b, n, d, w)
	if err != nil {
		return nil, err
	}
	fs := c.CallsBack()
	s.inService.mu.Lock()
	defer s.inService.mu.Unlock()
	if s.inService.byID == nil {
		s.inService.byID = map[int64]found{}
	}
	s.inService.byID[b.ID] = found{int64(b.Version), event, kernel.RulesVersion, fs}
	return fs, nil
}

// CallsBack is what calls a bank in service back: all that would keep it out today, but a survey that has grown old and
// gates, which were passed when it went in.
func (c Commission) CallsBack() []finding.Finding {
	return slices.DeleteFunc(finding.Standing(c.Open),
		func(f finding.Finding) bool { return commission.PassedBefore(f) })
}
