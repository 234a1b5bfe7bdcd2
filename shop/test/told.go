package test

import "sync"

// told wakes those who watch running tests whenever something new is on record of them.
type told struct {
	mu sync.Mutex
	ch chan struct{}
}

// Told is closed at the next news of running tests.
func (s *Room) Told() <-chan struct{} {
	s.told.mu.Lock()
	defer s.told.mu.Unlock()
	if s.told.ch == nil {
		s.told.ch = make(chan struct{})
	}
	return s.told.ch
}

func (t *told) all() {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.ch != nil {
		close(t.ch)
		t.ch = nil
	}
}
