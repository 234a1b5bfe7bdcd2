// Package frame is what every page of the interface stands on: the server and what it refuses, pages with the path on
// top, forms that keep what was typed, and files in and out. It knows no trade.
package frame

import (
	"compress/gzip"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"strings"
	"sync/atomic"
	"time"
	"unicode"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"pandrel/core/base/finding"
	"pandrel/core/base/typed"
	"pandrel/exchange"
	"pandrel/shop"
	"pandrel/shop/kernel"
	"pandrel/store"
	"pandrel/web/choice"
	"pandrel/web/door"
)

// csp allows nothing but what Pandrel ships: no inline script or style. Bootstrap draws its form
// icons from data URLs, hence data: for images.
const csp = "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; " +
	"connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"

// Frame is what every room of the interface stands on.
type Frame struct {
	Shop   *shop.Shop
	open   bool // other machines reach it
	pages  pages
	logger *slog.Logger
	work   door.Work
	kept   kept
	asked  asked
	making making
	// forms and spooled are the bytes of bodies that are under way.
	forms, spooled atomic.Int64
}

// New returns a frame for a workshop, and the router with all that stands before a handler: the host check, body
// limits, headers, the guard against forms of other sites, and files.
func New(s *shop.Shop, files fs.FS, at door.Place, log *slog.Logger) (*Frame, *echo.Echo, error) {
	static, err := fs.Sub(files, "static")
	if err != nil {
		return nil, nil, err
	}
	shipped, err := loadAssets(static)
	if err != nil {
		return nil, nil, err
	}
	p, err := loadPages(files, shipped, s.Here)
	if err != nil {
		return nil, nil, err
	}
	sv := &Frame{Shop: s, open: at.Open(), pages: p, logger: log, work: door.NewWork()}
	e := echo.NewWithConfig(echo.Config{Renderer: p, HTTPErrorHandler: sv.fail, Logger: log,
		Router: echo.NewRouter(echo.RouterConfig{UnescapePathParamValues: true, AutoHandleHEAD: true})})
	e.Pre(headers)
	e.Pre(at.CheckHost)
	e.Pre(door.OwnOrigin)
	e.Use(middleware.RequestLoggerWithConfig(middleware.RequestLoggerConfig{
		LogMethod: true, LogURIPath: true, LogStatus: true, LogLatency: true, HandleError: true,
		LogValuesFunc: func(_ *echo.Context, v middleware.RequestLoggerValues) error {
			took := v.Latency.Round(100 * time.Microsecond)
			log.Info("request", "method", v.Method, "path", v.URIPath, "status", v.Status, "took", took)
			return nil
		},
	}))
	e.Use(middleware.RecoverWithConfig(middleware.RecoverConfig{DisablePrintStack: false}))
	e.Use(shipped.serve)
	e.Use(middleware.GzipWithConfig(middleware.GzipConfig{Level: gzip.BestSpeed, MinLength: 1024, Skipper: small}))
	e.Use(limitBody)
	e.Use(sv.readBody)
	e.Use(middleware.CSRFWithConfig(middleware.CSRFConfig{
		TokenLookup: "header:" + guardHeader + ",form:" + guardField, CookieName: guardCookie, CookiePath: "/",
		CookieHTTPOnly: true,
		CookieSameSite: http.SameSiteStrictMode,
	}))
	e.Use(sv.keepPages)
	// A page asks this before it sends what was typed.
	e.GET("/alive", func(c *echo.Context) error { return c.NoContent(http.StatusNoContent) })
	e.GET("/print.css", printed)
	return sv, e, nil
}

// printed is a style that puts a title at the foot of every printed page. A browser takes it from nowhere else, since a
// page may not hold styles of its own.
func printed(c *echo.Context) error {
	var b strings.Builder
	for _, r := range Clip(typed.Clean(Query(c, "title")), 120) {
		if r == ' ' || unicode.IsLetter(r) || unicode.IsDigit(r) {
			b.WriteRune(r)
		} else {
			fmt.Fprintf(&b, "\\%06x", r)
		}
	}
	return c.Blob(http.StatusOK, "text/css; charset=utf-8",
		[]byte(`@page { @bottom-left { content: "`+b.String()+`"; font: 9pt "Pandrel Sans", sans-serif; } }`+"\n"))
}

// small reports whether an answer is small already, so that packing it again gains nothing, or must not wait.
func small(c *echo.Context) bool {
	path := c.Request().URL.Path
	return strings.HasSuffix(path, ".woff2") || strings.HasPrefix(path, "/pictures/") ||
		strings.HasSuffix(path, "/events") // said line by line, at once
}

func headers(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		h := c.Response().Header()
		h.Set("Content-Security-Policy", csp)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		h.Set("Cross-Origin-Embedder-Policy", "require-corp")
		h.Set("Cross-Origin-Resource-Policy", "same-origin")
		h.Set("Permissions-Policy", "geolocation=(), microphone=(), payment=(), serial=(), usb=()")
		h.Set("Cache-Control", "no-cache")
		return next(c)
	}
}

// fail shows an error page that says what happened and what to do. Details of unexpected errors go
// to the log, not to the screen.
//
// In one piece: each kind of error and its page.
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
		file *store.FileError
		body *badBody
	)
	v := errorView{Code: http.StatusInternalServerError, Title: "Something went wrong here",
		Text: "The action was not carried out, and nothing that was saved before is lost.",
		Do:   "Go back and try again. If it stays, the log of the program says more."}
	switch {
	case errors.As(err, &nf):
		v = errorView{Code: http.StatusNotFound, Title: "Not found", Text: nf.Error() + ".",
			Do: "Check the number on the label, or search for it above."}
	case errors.As(err, &file):
		v = errorView{Code: http.StatusServiceUnavailable, Title: "It cannot be saved", Text: "Nothing of this was " +
			"saved; what you typed is still there when you go back. " + file.Path + ": " + file.Text + ".", Do: file.Do}
	case errors.As(err, &con):
		v = errorView{Code: http.StatusConflict, Title: "Changed meanwhile", Text: con.Error() + ".",
			Do: "Go back, reload, and compare."}
	case errors.As(err, &blk):
		v = errorView{Code: http.StatusConflict, Title: "A stop stands in the way", Text: blk.Error(),
			Do: "Settle it first. Nothing was saved.", Blocks: blk.Findings}
	case errors.As(err, &inv):
		v = errorView{Code: http.StatusUnprocessableEntity, Title: "This cannot be used", Text: inv.Error() + ".",
			Do: "Go back: what you typed is still there."}
	case errors.Is(err, errFull):
		v = errorView{Code: http.StatusServiceUnavailable, Title: "Too much at once",
			Text: "Others are sending large files just now, and there is no more room for this one. Nothing was saved.",
			Do:   "Go back and send it again in a minute."}
	case errors.As(err, &tooL):
		v = tooLarge(c)
	case errors.As(err, &body):
		v = errorView{Code: http.StatusBadRequest, Title: "The form was not accepted",
			Text: "It arrived damaged or not whole. Nothing was saved.", Do: "Go back and send it again."}
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
	if v.Code == http.StatusUnprocessableEntity || v.Code == http.StatusConflict {
		v.Place, v.Path = choice.Above(c.Request().URL.EscapedPath())
		if c.Request().Method == http.MethodGet { // nothing was typed
			v.Do = "Settle that first."
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
	v := errorView{Code: http.StatusRequestEntityTooLarge, Title: "Too large", Text: fmt.Sprintf("At most %d MiB can "+
		"be sent here. Nothing was saved.", max(1, limit>>20-1)), Do: "Send less at a time."}
	switch limit {
	case maxLogBody:
		v.Do = "Log with a longer interval, or cut the file into its cycles."
	case maxPhotoBody:
		v.Do = fmt.Sprintf("Send fewer pictures at a time, each of at most %d MiB.", exchange.MaxPictureBytes>>20)
	}
	return v
}

type errorView struct {
	Code            int
	Title, Text, Do string
	Blocks          []finding.Finding
	Place, Path     string // where to go on, "" for nowhere but Today
}
