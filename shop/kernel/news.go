package kernel

import "sync"

// News wakes those who watch whenever there is something new to see.
type News struct {
	mu sync.Mutex
	ch chan struct{}
}

// Next is closed at the next news.
func (n *News) Next() <-chan struct{} {
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.ch == nil {
		n.ch = make(chan struct{})
	}
	return n.ch
}

// Tell wakes all who watch.
func (n *News) Tell() {
	n.mu.Lock()
	defer n.mu.Unlock()
	if n.ch != nil {
		close(n.ch)
		n.ch = nil
	}
}
