package door

import (
	"context"
	"errors"
	"io"
	"net/http"

	"golang.org/x/sync/semaphore"

	"pandrel/exchange"
)

// Unpacking a file may take much memory and some seconds. As many files are worked on at once as what they take fits
// in; small ones, a tablet's picture or the log of one test, have a share of their own, so that nobody with one of
// those waits behind somebody else's large one.
const (
	lightWork = 48 << 20  // bytes that a file may take to count as small
	lightAll  = 144 << 20 // of all small ones
	heavyAll  = 352 << 20 // of all others
	noWork    = 64 << 10  // bytes of a file that is no work
)

// Work lets files be worked on as memory allows.
type Work struct{ light, heavy *semaphore.Weighted }

// NewWork is nothing under way.
func NewWork() Work { return Work{semaphore.NewWeighted(lightAll), semaphore.NewWeighted(heavyAll)} }

// Ask waits until the files of a form may be worked on, or nobody waits for them any more. It returns what ends the
// work, nil where there is none.
func (w Work) Ask(r *http.Request) (done func(), err error) {
	takes, err := takes(r)
	if err != nil || takes == 0 {
		return nil, err
	}
	return w.lane(r.Context(), takes)
}

// lane waits until so many bytes may be taken.
func (w Work) lane(ctx context.Context, takes int64) (done func(), err error) {
	lane := w.light
	if takes > lightWork {
		lane, takes = w.heavy, min(takes, heavyAll)
	}
	if err := lane.Acquire(ctx, takes); err != nil {
		return nil, err
	}
	return func() { lane.Release(takes) }, nil
}

// takes is the memory that working on a form's files takes: all of them as they were sent, and what unpacking the
// dearest of them adds, because that is done one after the other. 0 where they are all small.
func takes(r *http.Request) (n int64, err error) {
	if r.MultipartForm == nil {
		return 0, nil
	}
	var most int64
	large := false
	for _, heads := range r.MultipartForm.File {
		for _, h := range heads {
			f, err := h.Open()
			if err != nil {
				return 0, err
			}
			unpacked, uerr := exchange.Takes(f, h.Size)
			if err := errors.Join(uerr, f.Close()); err != nil && !errors.Is(err, io.EOF) {
				return 0, err
			}
			large = large || unpacked > noWork
			n, most = n+h.Size, max(most, unpacked)
		}
	}
	if !large {
		return 0, nil
	}
	return n + most, nil
}
