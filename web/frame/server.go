// Package frame is what every page of the interface stands on: the server and what it refuses, pages with the path on
// top, forms that keep what was typed, and files in and out. It knows no trade.
package frame

import (
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"pandrel/exchange"
	"pandrel/shop"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
)

// Body limits: a log may be large, any other form is small. The margin is for the form around it.
const (
	maxBody      = 1 << 20
	maxTraceBody = record.MaxTraceBytes + 1<<20
	maxPhotoBody = maxPictures*exchange.MaxPictureBytes + 1<<20
)

// csp allows nothing but what Pandrel ships: no inline script or style. Bootstrap draws its form
// icons from data URLs, hence data: for images.
const csp = "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; " +
	"connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"

// Frame is what every room of the interface stands on.
type Frame struct {
	Shop   *shop.Shop
	hosts  map[string]bool
	pages  pages
	logger *slog.Logger
}

// New returns a frame for a workshop, and the router with all that stands before a handler: the host check, body
// limits, headers, the guard against forms of other sites, and files. listen is the address it is served on.
func New(s *shop.Shop, files fs.FS, listen string, log *slog.Logger) (*Frame, *echo.Echo, error) {
	p, err := loadPages(files)
	if err != nil {
		return nil, nil, err
	}
	sv := &Frame{Shop: s, hosts: allowedHosts(listen), pages: p, logger: log}
	e := echo.New()
	e.Renderer = p
	e.HTTPErrorHandler = sv.fail
	e.Pre(sv.checkHost)
	e.Use(middleware.RequestLoggerWithConfig(middleware.RequestLoggerConfig{
		LogMethod: true, LogURIPath: true, LogStatus: true, LogLatency: true, HandleError: true,
		LogValuesFunc: func(_ *echo.Context, v middleware.RequestLoggerValues) error {
			took := v.Latency.Round(100 * time.Microsecond)
			log.Info("request", "method", v.Method, "path", v.URIPath, "status", v.Status, "took", took)
			return nil
		},
	}))
	e.Use(middleware.RecoverWithConfig(middleware.RecoverConfig{DisablePrintStack: false}))
	e.Use(headers)
	e.Use(middleware.GzipWithConfig(middleware.GzipConfig{Level: gzip.BestSpeed, MinLength: 1024, Skipper: packed}))
	e.Use(limitBody)
	e.Use(middleware.CSRFWithConfig(middleware.CSRFConfig{
		TokenLookup: "header:X-CSRF-Token,form:_csrf", CookieName: "pandrel_csrf", CookiePath: "/",
		CookieHTTPOnly: true,
		CookieSameSite: http.SameSiteStrictMode,
	}))
	static, err := fs.Sub(files, "static")
	if err != nil {
		return nil, nil, err
	}
	e.StaticFS("/static", static)
	return sv, e, nil
}

// allowedHosts are the names under which this server may be asked.
func allowedHosts(listen string) map[string]bool {
	host, port, err := net.SplitHostPort(listen)
	if err != nil {
		host, port = "127.0.0.1", ""
	}
	names := []string{host}
	if ip := net.ParseIP(host); host == "localhost" || ip != nil && ip.IsLoopback() {
		names = append(names, "localhost", "127.0.0.1", "::1")
	}
	out := map[string]bool{}
	for _, n := range names {
		out[n] = true
		out[net.JoinHostPort(n, port)] = true
	}
	if ip := net.ParseIP(host); host == "" || ip != nil && ip.IsUnspecified() {
		return nil // asked for on every address: no name can be told from another
	}
	return out
}

func (sv *Frame) checkHost(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		host := c.Request().Host
		if sv.hosts == nil || sv.hosts[host] {
			return next(c)
		}
		// The port of a listener on port 0 is not known beforehand.
		if h, _, err := net.SplitHostPort(host); err == nil && sv.hosts[h] && sv.hosts[net.JoinHostPort(h, "0")] {
			return next(c)
		}
		return c.String(http.StatusMisdirectedRequest, "This workshop is not served under the name in the address. "+
			"Use the address that was printed when it started.\n")
	}
}

// packed reports whether an answer is small already, so that packing it again gains nothing.
func packed(c *echo.Context) bool {
	path := c.Request().URL.Path
	return strings.HasSuffix(path, ".woff2") || strings.HasPrefix(path, "/pictures/")
}

func headers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Content-Security-Policy", csp)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		if strings.HasPrefix(c.Request().URL.Path, "/static/vendor/") {
			h.Set("Cache-Control", "max-age=604800")
		} else {
			h.Set("Cache-Control", "no-cache")
		}
		return next(c)
	}
}

// bodyLimit is what may be sent to a path: only logs and pictures may be large.
func bodyLimit(path string) int64 {
	switch {
	case strings.HasSuffix(path, "/trace"):
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

// fail shows an error page that says what happened and what to do. Details of unexpected errors go
// to the log, not to the screen.
func (sv *Frame) fail(c *echo.Context, err error) {
	if r, uerr := echo.UnwrapResponse(c.Response()); uerr == nil && r.Committed {
		return
	}
	var (
		nf   *kernel.NotFound
		inv  *kernel.Invalid
		con  *kernel.Conflict
		blk  *kernel.Blocked
		code interface{ StatusCode() int }
		tooL *http.MaxBytesError
	)
	v := errorView{Code: http.StatusInternalServerError, Title: "Something went wrong here",
		Text: "The action was not carried out, and nothing that was saved before is lost.",
		Do:   "Go back and try again. If it stays, the log of the program says more."}
	switch {
	case errors.As(err, &nf):
		v = errorView{Code: http.StatusNotFound, Title: "Not found", Text: nf.Error() + ".",
			Do: "Check the number on the label, or search for it above."}
	case errors.As(err, &con):
		v = errorView{Code: http.StatusConflict, Title: "Changed meanwhile", Text: con.Error() + ".",
			Do: "Go back, reload, and compare."}
	case errors.As(err, &blk):
		v = errorView{Code: http.StatusConflict, Title: "A stop stands in the way", Text: blk.Error(),
			Do: "Settle it first. Nothing was saved."}
	case errors.As(err, &inv):
		v = errorView{Code: http.StatusUnprocessableEntity, Title: "This cannot be used", Text: inv.Error() + ".",
			Do: "Go back: what you typed is still there."}
	case errors.As(err, &tooL):
		v = tooLarge(c)
	case errors.As(err, &code):
		switch code.StatusCode() {
		case http.StatusNotFound, http.StatusMethodNotAllowed:
			v = errorView{Code: http.StatusNotFound, Title: "Not found", Text: "There is no such page.",
				Do: "Start from the path above, or search for a label number."}
		case http.StatusForbidden, http.StatusBadRequest:
			v = errorView{Code: code.StatusCode(), Title: "The form was not accepted",
				Text: "It did not come from a page of this workshop, or the page was open for too long.",
				Do:   "Go back, reload the page and send it again."}
		case http.StatusRequestEntityTooLarge:
			v = tooLarge(c)
		}
	}
	if v.Code >= 500 {
		sv.logger.Error("request failed", "path", c.Request().URL.Path, "error", err)
	}
	if rerr := sv.Show(c, v.Code, "error", v.Title, v); rerr != nil {
		sv.logger.Error("error page failed", "error", rerr)
		_ = c.String(v.Code, v.Title+". "+v.Text+"\n")
	}
}

func tooLarge(c *echo.Context) errorView {
	limit := bodyLimit(c.Request().URL.Path)
	v := errorView{Code: http.StatusRequestEntityTooLarge, Title: "Too large",
		Text: fmt.Sprintf("At most %d MiB can be sent here. Nothing was saved.", max(1, limit>>20-1)),
		Do:   "Send less at a time."}
	switch limit {
	case maxTraceBody:
		v.Do = "Log with a longer interval, or cut the file into its cycles."
	case maxPhotoBody:
		v.Do = fmt.Sprintf("Send fewer pictures at a time, each of at most %d MiB.", exchange.MaxPictureBytes>>20)
	}
	return v
}

type errorView struct {
	Code            int
	Title, Text, Do string
}

// Serve runs handler on l until ctx ends, then lets requests finish.
func Serve(ctx context.Context, l net.Listener, handler http.Handler) error {
	srv := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute}
	done := make(chan error, 1)
	go func() { done <- srv.Serve(l) }()
	select {
	case err := <-done:
		return err
	case <-ctx.Done():
		stop, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		return srv.Shutdown(stop)
	}
}
