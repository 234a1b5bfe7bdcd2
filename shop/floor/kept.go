package floor

import (
	"context"
	"maps"
	"slices"
	"strings"
	"sync"

	"gorm.io/gorm"

	core "pandrel/core/bank/floor"
	"pandrel/core/bank/plan"
	"pandrel/shop/kernel"
	"pandrel/store"
)

// kept is what the designs of banks are by themselves, as long as nothing is recorded: most of what is done to a
// drawing is done one press after the other, and changes neither its design nor its modules.
type kept struct {
	mu   sync.Mutex
	byID map[int64]design
}

// state is what a design was worked out of: the bank's row, and the last thing that was recorded in the workshop.
type state struct {
	version, drawn int
	event          int64
	rules          string
}

// design is a bank as it is designed, with the modules that were asked for.
type design struct {
	of      state
	need    plan.Need
	design  *plan.Design
	wiring  plan.Wiring
	numbers string
	units   core.Units
}

// design fills in the need, the design and its own wiring: as they were kept, else worked out anew.
func (s *Room) design(ctx context.Context, v *Drawn) error {
	db := s.Store.DB.WithContext(ctx)
	now, err := stateOf(db, v.Bank)
	if err != nil {
		return err
	}
	if was, ok := s.recall(v.Bank.ID, now); ok {
		v.Need, v.Design, v.wiring, v.of = was.need, was.design, was.wiring, now
		return nil
	}
	b, n, d, err := s.Bank.ByID(ctx, v.Bank.ID)
	if err != nil {
		return err
	}
	v.Bank, v.Need, v.Design, v.of = b, n, d, now
	if d != nil {
		b.BuiltByID = nil // what the design draws by itself
		if v.wiring, err = s.Bank.PlanWiring(ctx, b, n, *d); err != nil {
			return err
		}
	}
	s.keepDesign(v.Bank.ID, design{of: now, need: n, design: d, wiring: v.wiring})
	return nil
}

// units are the modules with these numbers, as they were kept with the design, else read anew.
func (s *Room) units(ctx context.Context, v *Drawn, numbers []string) (core.Units, error) {
	asked := strings.Join(slices.Sorted(slices.Values(numbers)), " ")
	was, ok := s.recall(v.Bank.ID, v.of)
	if ok && was.units != nil && was.numbers == asked {
		return maps.Clone(was.units), nil
	}
	units, err := s.Bank.Units(ctx, v.wiring, numbers)
	if err == nil && ok {
		was.numbers, was.units = asked, maps.Clone(units)
		s.keepDesign(v.Bank.ID, was)
	}
	return units, err
}

func stateOf(db *gorm.DB, b store.Bank) (now state, err error) {
	now = state{version: b.Version, drawn: b.DesignVersion, rules: kernel.RulesVersion}
	err = db.Raw("SELECT coalesce(max(id), 0) FROM events").Scan(&now.event).Error
	return now, err
}

func (s *Room) recall(id int64, now state) (design, bool) {
	s.kept.mu.Lock()
	defer s.kept.mu.Unlock()
	was, ok := s.kept.byID[id]
	return was, ok && was.of == now
}

// mostKept is of how many banks a design is kept: those that are drawn on now.
const mostKept = 16

func (s *Room) keepDesign(id int64, d design) {
	s.kept.mu.Lock()
	defer s.kept.mu.Unlock()
	if s.kept.byID == nil || len(s.kept.byID) >= mostKept && s.kept.byID[id].design == nil {
		s.kept.byID = map[int64]design{}
	}
	s.kept.byID[id] = d
}
