// Package web shows the workshop in a browser: routes, handlers grouped by what a person does,
// view models, templates and static files.
//
// Handlers turn requests into shop actions and results into view models; they do no trade
// arithmetic. Pages work without a script; scripts add rhythm and live answers.
package web

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"pandrel/core/base/station"
	"pandrel/shop"
	"strings"
	"time"

	"pandrel/shop/kernel"
	"pandrel/shop/record"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"

	"pandrel/exchange"
)

//go:embed static templates
var files embed.FS

// Body limits: a log may be large, any other form is small. The margin is for the form around it.
const (
	maxBody      = 1 << 20
	maxTraceBody = record.MaxTraceBytes + 1<<20
	maxPhotoBody = maxPictures*exchange.MaxPictureBytes + 1<<20
)

// csp allows nothing but what Pandrel ships: no inline script or style. Bootstrap draws its form
// icons from data URLs, hence data: for images.
const csp = "default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src 'self' data:; connect-src 'self'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'"

// Server answers requests for one workshop.
type Server struct {
	s     *shop.Shop
	hosts map[string]bool
	pages pages
	log   *slog.Logger
}

// New returns the handler for a workshop. listen is the address it is served on: requests for
// other hosts are refused, so that a page of another site cannot reach it through a name of its
// own.
func New(s *shop.Shop, listen string, log *slog.Logger) (http.Handler, error) {
	p, err := loadPages(files)
	if err != nil {
		return nil, err
	}
	sv := &Server{s: s, hosts: allowedHosts(listen), pages: p, log: log}
	e := echo.New()
	e.Renderer = p
	e.HTTPErrorHandler = sv.fail
	e.Pre(sv.checkHost)
	e.Use(middleware.RequestLoggerWithConfig(middleware.RequestLoggerConfig{
		LogMethod: true, LogURIPath: true, LogStatus: true, LogLatency: true, HandleError: true,
		LogValuesFunc: func(_ *echo.Context, v middleware.RequestLoggerValues) error {
			log.Info("request", "method", v.Method, "path", v.URIPath, "status", v.Status, "took", v.Latency.Round(100*time.Microsecond))
			return nil
		},
	}))
	e.Use(middleware.RecoverWithConfig(middleware.RecoverConfig{DisablePrintStack: false}))
	e.Use(headers)
	e.Use(limitBody)
	e.Use(middleware.CSRFWithConfig(middleware.CSRFConfig{TokenLookup: "header:X-CSRF-Token,form:_csrf", CookieName: "pandrel_csrf", CookiePath: "/", CookieHTTPOnly: true, CookieSameSite: http.SameSiteStrictMode}))
	static, err := fs.Sub(files, "static")
	if err != nil {
		return nil, err
	}
	e.StaticFS("/static", static)
	sv.routes(e)
	return e, nil
}

func (sv *Server) routes(e *echo.Echo) {
	e.GET("/", sv.today)
	e.GET("/search", sv.search)
	e.GET("/keys", sv.keys)
	e.GET("/glyphs.svg", sv.glyphs)
	e.GET("/station/:station", sv.station)
	e.GET("/station/receive", sv.lots)
	e.GET("/station/design", sv.needs)
	e.GET("/station/wire", sv.standing(station.Wire))
	e.GET("/station/keep", sv.standing(station.Keep))

	e.POST("/lots", sv.saveLot)
	e.GET("/lots/:id", sv.lot)
	e.POST("/lots/:id", sv.saveLot)
	e.POST("/lots/:id/modules", sv.addModules)
	e.GET("/lots/:id/labels", sv.labels)
	e.GET("/m/:number", sv.scanned)
	e.GET("/import", sv.importPage)
	e.POST("/import", sv.saveImport)
	e.GET("/lots/:id/export", sv.exportLot)
	e.GET("/strip/:where/:id", sv.stripPage)
	e.GET("/practice", sv.practices)
	e.GET("/practice/:case", sv.practice)
	e.POST("/practice/:case", sv.practiceStep)
	e.GET("/packs", sv.packs)
	e.POST("/packs", sv.savePack)
	e.GET("/packs/:id", sv.pack)
	e.POST("/packs/:id/step", sv.savePackStep)
	e.POST("/packs/:id/modules", sv.takeModules)
	e.GET("/types", sv.types)
	e.POST("/types", sv.saveType)
	e.GET("/types/:id", sv.typ)
	e.POST("/types/:id", sv.saveType)
	e.GET("/types/:id/pins", sv.pins)
	e.GET("/types/:id/face", sv.face)
	e.POST("/types/:id/face", sv.saveFace)
	e.GET("/types/:id/lie", sv.turnFace)
	e.GET("/types/:id/looks", sv.looks)
	e.POST("/types/:id/looks", sv.saveLooks)
	e.GET("/types/:id/teardown", sv.teardown)
	e.POST("/types/:id/teardown", sv.saveTeardown)
	e.POST("/types/:id/pictures", sv.addStepPicture)
	e.GET("/types/:id/variants", sv.variants)
	e.POST("/types/:id/variants", sv.saveInside)
	e.GET("/types/:id/curve", sv.curve)
	e.POST("/types/:id/curve", sv.saveCurve)
	e.GET("/services", sv.services)
	e.POST("/services", sv.saveService)
	e.GET("/services/:id", sv.service)
	e.POST("/services/:id/step", sv.saveServiceStep)
	e.GET("/adapters", sv.adapters)
	e.POST("/adapters", sv.saveAdapter)
	e.GET("/adapters/:id", sv.adapter)
	e.POST("/adapters/:id", sv.changeAdapter)
	e.POST("/adapters/:id/check", sv.checkAdapter)
	e.GET("/pictures/:id", sv.picture)

	e.GET("/modules/:number", sv.module)
	e.GET("/modules/:number/inspect", sv.inspect)
	e.POST("/modules/:number/inspect", sv.saveInspection)
	e.POST("/modules/:number/pictures", sv.addPicture)
	e.GET("/modules/:number/open", sv.opening)
	e.POST("/modules/:number/open", sv.saveOpening)
	e.GET("/modules/:number/map", sv.mapping)
	e.POST("/modules/:number/map/meter", sv.readMeter)
	e.POST("/modules/:number/map", sv.saveProbes)
	e.POST("/modules/:number/map/try", sv.tryMap)
	e.GET("/modules/:number/check", sv.check)
	e.POST("/modules/:number/check", sv.saveCheck)
	e.GET("/modules/:number/isolation", sv.isolation)
	e.POST("/modules/:number/isolation", sv.saveIsolation)
	e.GET("/readings/:id", sv.probeSet)
	e.POST("/readings/:id/accept", sv.acceptLayout)
	e.GET("/modules/:number/survey", sv.survey)
	e.POST("/modules/:number/survey", sv.saveSurvey)
	e.POST("/modules/:number/survey/try", sv.trySurvey)
	e.POST("/modules/:number/survey/monitor", sv.readMonitor)
	e.GET("/modules/:number/test", sv.test)
	e.POST("/modules/:number/trace", sv.saveTrace)
	e.POST("/modules/:number/hand", sv.saveHand)
	e.GET("/traces/:id/original", sv.original)
	e.POST("/modules/:number/grade", sv.saveGrade)
	e.POST("/modules/:number/withdraw", sv.withdraw)
	e.POST("/modules/:number/history", sv.saveHistory)

	e.GET("/banks/:id", sv.bank)
	e.POST("/banks", sv.saveNeed)
	e.POST("/banks/:id", sv.saveNeed)
	e.POST("/banks/:id/design", sv.saveDesign)
	e.POST("/banks/:id/undo", sv.undoDesign)
	e.POST("/banks/:id/bms", sv.saveBMS)
	e.POST("/banks/:id/sense", sv.saveSense)
	e.POST("/banks/:id/parts", sv.saveParts)
	e.POST("/banks/:id/step", sv.saveBankStep)
	e.POST("/banks/:id/service", sv.putInService)
	e.POST("/banks/:id/frost", sv.answerFrost)
	e.POST("/banks/:id/out", sv.takeOutOfService)
	e.POST("/banks/:id/replace", sv.replaceModule)
	e.GET("/banks/:id/sheet", sv.sheet)
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

func (sv *Server) checkHost(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		host := c.Request().Host
		if sv.hosts == nil || sv.hosts[host] {
			return next(c)
		}
		// The port of a listener on port 0 is not known beforehand.
		if h, _, err := net.SplitHostPort(host); err == nil && sv.hosts[h] && sv.hosts[net.JoinHostPort(h, "0")] {
			return next(c)
		}
		return c.String(http.StatusMisdirectedRequest, "This workshop is not served under the name in the address. Use the address that was printed when it started.\n")
	}
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
func (sv *Server) fail(c *echo.Context, err error) {
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
	v := errorView{Code: http.StatusInternalServerError, Title: "Something went wrong here", Text: "The action was not carried out, and nothing that was saved before is lost.", Do: "Go back and try again. If it stays, the log of the program says more."}
	switch {
	case errors.As(err, &nf):
		v = errorView{Code: http.StatusNotFound, Title: "Not found", Text: nf.Error() + ".", Do: "Check the number on the label, or search for it above."}
	case errors.As(err, &con):
		v = errorView{Code: http.StatusConflict, Title: "Changed meanwhile", Text: con.Error() + ".", Do: "Go back, reload, and compare."}
	case errors.As(err, &blk):
		v = errorView{Code: http.StatusConflict, Title: "A stop stands in the way", Text: blk.Error(), Do: "Settle it first. Nothing was saved."}
	case errors.As(err, &inv):
		v = errorView{Code: http.StatusUnprocessableEntity, Title: "This cannot be used", Text: inv.Error() + ".", Do: "Go back: what you typed is still there."}
	case errors.As(err, &tooL):
		v = tooLarge(c)
	case errors.As(err, &code):
		switch code.StatusCode() {
		case http.StatusNotFound, http.StatusMethodNotAllowed:
			v = errorView{Code: http.StatusNotFound, Title: "Not found", Text: "There is no such page.", Do: "Start from the path above, or search for a label number."}
		case http.StatusForbidden, http.StatusBadRequest:
			v = errorView{Code: code.StatusCode(), Title: "The form was not accepted", Text: "It did not come from a page of this workshop, or the page was open for too long.", Do: "Go back, reload the page and send it again."}
		case http.StatusRequestEntityTooLarge:
			v = tooLarge(c)
		}
	}
	if v.Code >= 500 {
		sv.log.Error("request failed", "path", c.Request().URL.Path, "error", err)
	}
	if rerr := sv.show(c, v.Code, "error", v.Title, v); rerr != nil {
		sv.log.Error("error page failed", "error", rerr)
		_ = c.String(v.Code, v.Title+". "+v.Text+"\n")
	}
}

func tooLarge(c *echo.Context) errorView {
	limit := bodyLimit(c.Request().URL.Path)
	v := errorView{Code: http.StatusRequestEntityTooLarge, Title: "Too large", Text: fmt.Sprintf("At most %d MiB can be sent here. Nothing was saved.", max(1, limit>>20-1)), Do: "Send less at a time."}
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
