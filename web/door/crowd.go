package door

import (
	"context"
	"net"
	"net/http"
	"sync"
	"sync/atomic"
	"time"
)

// crowd lets so many clients be connected at once and shuts nobody out for those that do nothing: where all places are
// taken, the one whose client has kept it waiting longest is given to whoever comes. A browser whose quiet line was cut
// connects again by itself.
type crowd struct {
	net.Listener
	most int

	lock  sync.Mutex
	seats map[*seat]bool
}

// seat is a connection. Waits is since when its client is waited for, in nanoseconds; 0 while it is worked for.
type seat struct {
	net.Conn
	crowd *crowd
	waits atomic.Int64
}

func newCrowd(l net.Listener, most int) *crowd {
	return &crowd{Listener: l, most: most, seats: map[*seat]bool{}}
}

// Accept takes the next client. Where every place is taken by work it is the new one that has to come again.
func (c *crowd) Accept() (net.Conn, error) {
	for {
		conn, err := c.Listener.Accept()
		if err != nil {
			return nil, err
		}
		s := &seat{Conn: conn, crowd: c}
		s.wait()
		if c.sit(s) {
			return s, nil
		}
		_ = conn.Close() // nobody was promised anything
	}
}

func (c *crowd) sit(s *seat) bool {
	c.lock.Lock()
	defer c.lock.Unlock()
	if len(c.seats) >= c.most {
		var longest *seat
		var since int64
		for x := range c.seats {
			if w := x.waits.Load(); w != 0 && (longest == nil || w < since) {
				longest, since = x, w
			}
		}
		if longest == nil {
			return false
		}
		delete(c.seats, longest)
		_ = longest.Conn.Close() // its client did nothing
	}
	c.seats[s] = true
	return true
}

// Close ends the connection and frees its place.
func (s *seat) Close() error {
	s.crowd.lock.Lock()
	delete(s.crowd.seats, s)
	s.crowd.lock.Unlock()
	return s.Conn.Close()
}

func (s *seat) wait() { s.waits.Store(time.Now().UnixNano()) }
func (s *seat) busy() { s.waits.Store(0) }

// during runs f, which waits for the client.
func (s *seat) during(f func()) {
	if s == nil {
		f()
		return
	}
	s.wait()
	defer s.busy()
	f()
}

type seatKey struct{}

// withSeat lets a request find its connection.
func withSeat(ctx context.Context, c net.Conn) context.Context {
	if s, ok := c.(*seat); ok {
		return context.WithValue(ctx, seatKey{}, s)
	}
	return ctx
}

func seatOf(r *http.Request) *seat {
	s, _ := r.Context().Value(seatKey{}).(*seat)
	return s
}
