package procedure

import (
	"context"

	"gorm.io/gorm"

	"pandrel/core/base/finding"
	"pandrel/shop/kernel"
	"pandrel/shop/steps"
)

// The procedures.
const (
	Pack     steps.Kind = "pack"     // a pack that is split
	Standing steps.Kind = "standing" // a standing bank that is opened and brought back
	Bank     steps.Kind = "bank"     // a bank on its way into service
	Module   steps.Kind = "module"   // a module above the limit of touch, before it is worked on
	Build    steps.Kind = "build"    // a bank that is put together, step by step
)

// RecordStep keeps a step of a procedure. It is blocked while an earlier gate is open.
func (s *Room) RecordStep(ctx context.Context, kind steps.Kind, id int64, in steps.Input) ([]finding.Finding, error) {
	load, err := s.loader(ctx, kind, id)
	if err != nil {
		return nil, err
	}
	return steps.Sign(ctx, s.Kernel, kind, load, in)
}

// RecordSteps keeps several steps at once: see steps.SignAll.
func (s *Room) RecordSteps(ctx context.Context, kind steps.Kind, id int64, in []steps.Input, token string) (bad string,
	err error) {
	load, err := s.loader(ctx, kind, id)
	if err != nil {
		return "", err
	}
	return steps.SignAll(ctx, s.Kernel, kind, load, in, token)
}

// loader returns what loads a procedure inside a transaction. What takes long is done before it.
func (s *Room) loader(ctx context.Context, kind steps.Kind, id int64) (steps.Loads, error) {
	switch kind {
	case Pack:
		return func(tx *gorm.DB, _ string) (*steps.Work, error) {
			v, err := packByID(tx, id)
			return v.work, err
		}, nil
	case Standing:
		return func(tx *gorm.DB, step string) (*steps.Work, error) {
			v, err := LoadStanding(tx, id)
			if err == nil && v.Back() && v.done(step) { // it is taken out of work once more
				v, err = loadRound(tx, id, v.Round+1)
			}
			return v.work, err
		}, nil
	case Module:
		return func(tx *gorm.DB, _ string) (*steps.Work, error) {
			v, err := s.modulePeople(tx, id)
			return v.work, err
		}, nil
	case Build:
		b, n, d, w, err := s.wired(ctx, id)
		return func(tx *gorm.DB, _ string) (*steps.Work, error) {
			v, err := s.assembly(tx, b, n, d, w)
			return v.work, err
		}, err
	case Bank:
		b, n, d, w, err := s.wired(ctx, id)
		return func(tx *gorm.DB, _ string) (*steps.Work, error) {
			c, err := s.commission(tx, b, n, d, w)
			return c.work, err
		}, err
	}
	return nil, kernel.Missing("procedure %q", kind)
}
