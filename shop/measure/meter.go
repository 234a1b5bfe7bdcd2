package measure

import (
	"context"
	"errors"
	"sync"
	"time"

	"pandrel/core/bench/steady"
	"pandrel/instrument"
	"pandrel/shop/kernel"
)

// watch is who looks at the bench meter: there is one, and whoever began last has it. Many take one connection at a
// time:
// the one before is closed before the next is made.
type watch struct {
	mu   sync.Mutex
	away context.CancelCauseFunc
	line sync.Mutex // held while somebody talks to it
}

// ErrElsewhere ends a watch because somebody asks the meter for another reading.
var ErrElsewhere = errors.New("the meter was taken for another reading")

// begin takes the meter from whoever had it, as soon as they let go of it; end lets go.
func (w *watch) begin(ctx context.Context) (mine context.Context, end func()) {
	mine, away := context.WithCancelCause(ctx)
	w.mu.Lock()
	if w.away != nil {
		w.away(ErrElsewhere)
	}
	w.away = away
	w.mu.Unlock()
	w.line.Lock()
	return mine, func() {
		w.line.Unlock()
		away(nil)
	}
}

// ReadMeter reads the bench meter once, with its probes on two points of a module.
func (s *Room) ReadMeter(ctx context.Context, number, red, black string) (float64, error) {
	at, err := s.PointsOf(ctx, number, red, black)
	if err != nil {
		return 0, err
	}
	_, end := s.watch.begin(ctx)
	defer end()
	v, err := instrument.ReadMeter(s.MeterAddress, at)
	if err != nil {
		return 0, kernel.Bad("", "%v", err)
	}
	return v, nil
}

// PointsOf is where the probes go on a module that may be measured.
func (s *Room) PointsOf(ctx context.Context, number, red, black string) (at instrument.Spot, err error) {
	if err := s.meterThere(); err != nil {
		return at, err
	}
	m, err := s.Module(ctx, number)
	if err != nil {
		return at, err
	}
	if err := kernel.Usable(m); err != nil {
		return at, err
	}
	if red == "" || black == "" || red == black {
		return at, kernel.Bad("", "expected two different points")
	}
	return instrument.Spot{Module: m.Number, Red: red, Black: black}, nil
}

func (s *Room) meterThere() error {
	if s.MeterAddress == "" {
		return kernel.Bad("", "no bench meter is set up: start Pandrel with --meter host:port")
	}
	return nil
}

// watchPause is how long the meter is left alone between two looks.
const watchPause = 120 * time.Millisecond

// WatchMeter follows the bench meter to one steady reading that was taken after the probes were lifted. Each look is
// shown with what the probes seem to do; the last one is Taken. It ends with ErrElsewhere where somebody else begins to
// watch.
func (s *Room) WatchMeter(ctx context.Context, to instrument.Spot, span steady.Span,
	show func(state steady.State, volts float64) error) error {
	if err := s.meterThere(); err != nil {
		return err
	}
	ctx, end := s.watch.begin(ctx)
	defer end()
	if ctx.Err() != nil { // taken by the next one, or nobody listens any more
		return context.Cause(ctx)
	}
	w := steady.New(span)
	err := instrument.WatchMeter(ctx, s.MeterAddress, to, watchPause, func(at time.Duration, v float64) (bool, error) {
		if ctx.Err() != nil {
			return false, ctx.Err()
		}
		state, taken, err := w.See(at, v)
		if err != nil {
			return false, err
		}
		if state == steady.Taken {
			v = taken
		}
		return state == steady.Taken, show(state, v)
	})
	if err != nil && errors.Is(context.Cause(ctx), ErrElsewhere) {
		return ErrElsewhere
	}
	return err
}
