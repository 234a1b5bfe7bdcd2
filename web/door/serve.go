package door

import (
	"context"
	"errors"
	"io"
	"net"
	"net/http"
	"time"
)

// How long a client may take. Nothing is measured in whole requests: a large log over a slow radio may take minutes,
// and goes on as long as it moves.
const (
	headTimeout  = 10 * time.Second // for the lines before a body
	idleTimeout  = time.Minute      // between requests on one connection
	pauseTimeout = 15 * time.Second // in which something of a body must arrive, or of an answer be taken
	graceTime    = 20 * time.Second // after which a body must have come at a lowest rate
	lowestRate   = 4 << 10          // bytes a second
	stopTimeout  = 3 * time.Second  // for requests under way once the program is told to stop
	piece        = 64 << 10         // of an answer, for which pauseTimeout counts
)

// connections is how many clients may be connected at once.
const connections = 1000

// errSlow ends a body that hardly moves.
var errSlow = errors.New("the request came too slowly")

// Serve runs handler on l until ctx ends, then lets requests finish for a short while. Clients that stall are cut off.
func Serve(ctx context.Context, l net.Listener, handler http.Handler) error {
	srv := &http.Server{Handler: paced(handler), ReadHeaderTimeout: headTimeout, IdleTimeout: idleTimeout,
		MaxHeaderBytes: 64 << 10}
	ending := make(chan struct{})
	srv.ConnContext = withSeat
	srv.BaseContext = func(net.Listener) context.Context {
		return context.WithValue(context.Background(), endingKey{}, ending)
	}
	srv.RegisterOnShutdown(func() { close(ending) })
	done := make(chan error, 1)
	go func() { done <- srv.Serve(newCrowd(l, connections)) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		stop, cancel := context.WithTimeout(context.Background(), stopTimeout)
		defer cancel()
		if err := srv.Shutdown(stop); err != nil {
			return srv.Close() // whoever stalls is cut off: what was acknowledged is on the disk
		}
		return nil
	}
}

type endingKey struct{}

// Ending is closed when the program ends: an answer that would go on for ever ends with it. Nil, which never comes,
// where nothing was said of it.
func Ending(ctx context.Context) <-chan struct{} {
	ch, _ := ctx.Value(endingKey{}).(chan struct{})
	return ch
}

// paced lets a request go on as long as it moves.
func paced(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ctl := http.NewResponseController(w)
		place := seatOf(r)
		if place != nil {
			place.busy()
			defer place.wait()
		}
		if r.Body != nil && r.Body != http.NoBody {
			r.Body = &pacedBody{ReadCloser: r.Body, ctl: ctl, seat: place, begin: time.Now()}
		}
		next.ServeHTTP(&pacedWriter{ResponseWriter: w, ctl: ctl, seat: place}, r)
	})
}

// pacedBody is a body that must keep coming.
type pacedBody struct {
	io.ReadCloser
	ctl   *http.ResponseController
	seat  *seat
	begin time.Time
	n     int64
}

func (b *pacedBody) Read(p []byte) (int, error) {
	took := time.Since(b.begin)
	if took > graceTime && float64(b.n) < lowestRate*took.Seconds() {
		return 0, errSlow
	}
	_ = b.ctl.SetReadDeadline(time.Now().Add(pauseTimeout)) // without deadlines, as in tests, nothing is cut off
	var n int
	var err error
	b.seat.during(func() { n, err = b.ReadCloser.Read(p) })
	b.n += int64(n)
	if err != nil {
		_ = b.ctl.SetReadDeadline(time.Time{})
	}
	return n, err
}

// pacedWriter writes an answer piece by piece, each of which must be taken in time.
type pacedWriter struct {
	http.ResponseWriter
	ctl  *http.ResponseController
	seat *seat
}

// Unwrap is for http.ResponseController.
func (w *pacedWriter) Unwrap() http.ResponseWriter { return w.ResponseWriter }

func (w *pacedWriter) Write(p []byte) (n int, err error) {
	for first := true; first || len(p) > 0; first = false {
		_ = w.ctl.SetWriteDeadline(time.Now().Add(pauseTimeout))
		k := min(piece, len(p))
		var m int
		var err error
		w.seat.during(func() { m, err = w.ResponseWriter.Write(p[:k]) })
		n += m
		if err != nil {
			return n, err
		}
		p = p[k:]
	}
	return n, nil
}
