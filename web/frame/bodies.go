package frame

import (
	"errors"
	"mime"
	"net/http"
	"runtime/debug"
	"strings"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"pandrel/exchange"
	"pandrel/shop/results"
)

// Body limits: a log may be large, any other form is small. The margin is for the form around it.
const (
	maxBody      = 1 << 20
	maxTraceBody = results.MaxTraceBytes + 1<<20
	maxPhotoBody = maxPictures*exchange.MaxPictureBytes + 1<<20
)

// bodyMemory is how much of a form with files is kept in memory; the rest is spooled to files.
const bodyMemory = 256 << 10

// bodyLimit is what may be sent to a path: only logs and pictures may be large.
func bodyLimit(path string) int64 {
	switch {
	case strings.HasSuffix(path, "/trace"), strings.HasSuffix(path, "/logs"), strings.HasSuffix(path, "/set"):
		return maxTraceBody
	case strings.HasSuffix(path, "/pictures"), strings.HasSuffix(path, "/inspect"):
		return maxPhotoBody
	}
	return maxBody
}

// limitBody bounds every body.
func limitBody(next echo.HandlerFunc) echo.HandlerFunc {
	limited := map[int64]echo.HandlerFunc{}
	for _, n := range []int64{maxBody, maxTraceBody, maxPhotoBody} {
		limited[n] = middleware.BodyLimit(n)(next)
	}
	return func(c *echo.Context) error { return limited[bodyLimit(c.Request().URL.Path)](c) }
}

// badBody is a form that is not one.
type badBody struct{ err error }

func (e *badBody) Error() string { return "the form cannot be read: " + e.err.Error() }
func (e *badBody) Unwrap() error { return e.err }

// readBody reads every form before anything else is done with it: what cannot be read is told apart from what went
// wrong later, and files are spooled, however many come at once. Those that hold a file are then worked on one at a
// time, because unpacking one may take as much memory as may be taken; what it took is given back at once.
func (sv *Frame) readBody(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		if r.Method != http.MethodPost {
			return next(c)
		}
		kind, _, err := mime.ParseMediaType(r.Header.Get("Content-Type"))
		switch {
		case err == nil && kind == "multipart/form-data":
			err = r.ParseMultipartForm(bodyMemory)
		default:
			err = r.ParseForm()
		}
		var tooLarge *http.MaxBytesError
		var code interface{ StatusCode() int }
		if err != nil {
			if errors.As(err, &tooLarge) || errors.As(err, &code) || strings.Contains(err.Error(), "too large") {
				return err
			}
			return &badBody{err}
		}
		if !holdsFile(r) {
			return next(c)
		}
		select {
		case sv.unpacking <- struct{}{}:
		case <-r.Context().Done():
			return r.Context().Err()
		}
		defer func() {
			<-sv.unpacking
			debug.FreeOSMemory()
		}()
		return next(c)
	}
}

// holdsFile reports whether a form holds a file that is not small.
func holdsFile(r *http.Request) bool {
	if r.MultipartForm == nil {
		return false
	}
	for _, heads := range r.MultipartForm.File {
		for _, h := range heads {
			if h.Size > bodyMemory/4 {
				return true
			}
		}
	}
	return false
}
