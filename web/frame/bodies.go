package frame

import (
	"bufio"
	"bytes"
	"crypto/subtle"
	"errors"
	"io"
	"mime"
	"mime/multipart"
	"net/http"
	"os"
	"runtime/debug"
	"strings"
	"sync/atomic"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"pandrel/exchange"
	"pandrel/shop/test"
	"pandrel/store"
)

// Body limits: a log may be large, any other form is small. The margin is for the form around it.
const (
	maxBody      = 1 << 20
	maxLogBody   = test.MaxLogBytes + 1<<20
	maxPhotoBody = maxPictures*exchange.MaxPictureBytes + 1<<20
)

// What all requests that are under way may have sent, together: forms are read into memory, files are spooled.
const (
	maxForms   = 32 << 20
	maxSpooled = 512 << 20
)

// bodyMemory is how much of a form with files is kept in memory; the rest is spooled to files.
const bodyMemory = 256 << 10

// guardWithin is how far into a form with files its guard stands, ahead of the first of them.
const guardWithin = 64 << 10

// bodyLimit is what may be sent to a path: only logs and pictures may be large.
func bodyLimit(path string) int64 {
	switch {
	case strings.HasSuffix(path, "/trace"), strings.HasSuffix(path, "/logs"), strings.HasSuffix(path, "/set"):
		return maxLogBody
	case strings.HasSuffix(path, "/pictures"), strings.HasSuffix(path, "/inspect"):
		return maxPhotoBody
	}
	return maxBody
}

// limitBody bounds every body.
func limitBody(next echo.HandlerFunc) echo.HandlerFunc {
	limited := map[int64]echo.HandlerFunc{}
	for _, n := range []int64{maxBody, maxLogBody, maxPhotoBody} {
		limited[n] = middleware.BodyLimit(n)(next)
	}
	return func(c *echo.Context) error { return limited[bodyLimit(c.Request().URL.Path)](c) }
}

// badBody is a form that is not one.
type badBody struct{ err error }

func (e *badBody) Error() string { return "the form cannot be read: " + e.err.Error() }
func (e *badBody) Unwrap() error { return e.err }

// errFull is a form that was not read because too much is being sent at once.
var errFull = errors.New("too much is being sent at once")

// counted is a body that counts against what all requests under way may have sent.
type counted struct {
	io.ReadCloser
	all  *atomic.Int64
	most int64
	n    int64
}

func (b *counted) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	b.n += int64(n)
	if b.all.Add(int64(n)) > b.most {
		return 0, errFull
	}
	return n, err
}

// done gives back what was counted.
func (b *counted) done() { b.all.Add(-b.n) }

// guarded fails where a form with files does not bear the guard of its browser ahead of its first file: it would be
// refused later, and is not spooled first. What was looked at is read again by whoever reads the body. A browser that
// says itself where a form comes from is believed, as it is later.
func guarded(r *http.Request, boundary string) error {
	switch r.Header.Get("Sec-Fetch-Site") {
	case "same-origin", "none":
		return nil
	case "":
	default:
		return echo.ErrForbidden
	}
	guard := ""
	if cookie, err := r.Cookie(guardCookie); err == nil {
		guard = cookie.Value
	}
	same := func(token string) bool {
		return guard != "" && subtle.ConstantTimeCompare([]byte(token), []byte(guard)) == 1
	}
	if same(r.Header.Get(guardHeader)) {
		return nil
	}
	b := bufio.NewReaderSize(r.Body, guardWithin)
	r.Body = struct {
		io.Reader
		io.Closer
	}{b, r.Body}
	for most := guardWithin >> 7; ; most *= 2 { // each look costs as much as what it looks at
		_, ended := b.Peek(min(most, guardWithin))
		head, _ := b.Peek(b.Buffered())
		token, err := guardIn(head, boundary)
		switch {
		case err == nil && same(token):
			return nil
		case err == nil || ended == nil && len(head) >= guardWithin:
			return echo.ErrForbidden
		case errors.Is(ended, io.EOF): // that was all of it
			return &badBody{err}
		case ended != nil:
			return ended
		}
	}
}

// guardIn finds the guard in the beginning of a form: "" where a file comes before it. It fails with the end of what
// there is where neither was reached.
func guardIn(head []byte, boundary string) (token string, err error) {
	m := multipart.NewReader(bytes.NewReader(head), boundary)
	for {
		p, err := m.NextPart()
		if err != nil || p.FileName() != "" {
			return "", err
		}
		text, err := io.ReadAll(p)
		if err != nil || p.FormName() == guardField {
			return string(text), err
		}
	}
}

// readBody reads every form before anything else is done with it: what cannot be read is told apart from what went
// wrong later, and files are spooled, as much at once as may be. Those that hold a file are then worked on as memory
// allows; what it took is given back at once.
func (sv *Frame) readBody(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if r.Method != http.MethodPost {
			return next(c)
		}
		kind, params, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
		files := err == nil && kind == "multipart/form-data"
		body := &counted{ReadCloser: r.Body, all: &sv.forms, most: maxForms}
		if files {
			body.all, body.most = &sv.spooled, maxSpooled
		}
		defer body.done()
		r.Body = body
		if files {
			if err = guarded(r, params["boundary"]); err == nil {
				err = r.ParseMultipartForm(bodyMemory)
			}
		} else {
			err = r.ParseForm()
		}
		var tooLarge *http.MaxBytesError
		var code interface{ StatusCode() int }
		if err = store.Fault(os.TempDir(), err); err != nil {
			var file *store.FileError
			if errors.Is(err, errFull) || errors.As(err, &file) || errors.As(err, &tooLarge) || errors.As(err, &code) ||
				strings.Contains(err.Error(), "too large") {
				return err
			}
			return &badBody{err}
		}
		takes, err := sv.work.Ask(r)
		if err != nil {
			return err
		}
		if takes == nil {
			return next(c)
		}
		defer func() {
			takes()
			debug.FreeOSMemory()
		}()
		return next(c)
	}
}
