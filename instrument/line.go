package instrument

import (
	"sync"
	"time"
)

// Line is one connection to a cycler that is kept, and made anew where it failed. The device goes on by its own limits
// while there is none. It may be used by several at once.
type Line struct {
	mu   sync.Mutex
	c    *Cycler
	lost time.Time // since when nothing was heard, zero while it answers
}

// With uses the connection at an address; now is when.
func (l *Line) With(address string, now time.Time, f func(c *Cycler) error) error {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.c == nil {
		c, err := DialCycler(address)
		if err != nil {
			l.fail(now)
			return err
		}
		l.c = c
	}
	if err := f(l.c); err != nil {
		_ = l.c.Close() // whatever stood in it may be half of an answer
		l.c = nil
		l.fail(now)
		return err
	}
	l.lost = time.Time{}
	return nil
}

func (l *Line) fail(now time.Time) {
	if l.lost.IsZero() {
		l.lost = now
	}
}

// Lost is since when nothing was heard, zero while it answers.
func (l *Line) Lost() time.Time {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.lost
}

// Close lets the connection go; the next use makes it anew.
func (l *Line) Close() {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.c != nil {
		_ = l.c.Close()
		l.c = nil
	}
}
