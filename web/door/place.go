// Package door is who comes in and how much at once: under which names the workshop is reached, how many may be
// connected, how long a client may take, which page a form came from, and how many files are worked on. It knows
// nothing of what is behind it.
package door

import (
	"fmt"
	"net"
	"net/http"
	"net/url"
	"strings"

	"github.com/labstack/echo/v5"
)

// Place is where a workshop is served: the address it listens on, and beyond loopback the names under which other
// machines reach it.
type Place struct {
	Listen string
	Names  []string
}

// OpenToAll is what is said where other machines reach the workshop: there is no sign-in yet.
const OpenToAll = "Anyone on this network can read and change everything here: there is no sign-in."

// Open reports whether other machines reach it.
func (p Place) Open() bool {
	host, _, err := net.SplitHostPort(p.Listen)
	if err != nil {
		return true
	}
	ip := net.ParseIP(host)
	return host != "localhost" && (ip == nil || !ip.IsLoopback())
}

// Check fails where the address is none, or where other machines would reach it under names that were not given: then
// a page of another site could reach it through a name of its own.
func (p Place) Check() error {
	if _, _, err := net.SplitHostPort(p.Listen); err != nil {
		return fmt.Errorf("--listen %s: expected an address and a port, such as 127.0.0.1:8460", p.Listen)
	}
	for _, n := range p.Names {
		if n == "" || strings.ContainsAny(n, "/:*? ") && net.ParseIP(n) == nil {
			return fmt.Errorf("--host %s: expected a name or an address alone, such as bench.local or 192.0.2.7", n)
		}
	}
	if p.Open() && len(p.Names) == 0 {
		return fmt.Errorf("--listen %s lets other machines in, and anyone on the network can then change everything: "+
			"say under which names they reach it, such as --host bench.local --host 192.0.2.7", p.Listen)
	}
	return nil
}

// Addresses are what a person types to get there: the address it listens on, or beyond loopback each of its names.
func (p Place) Addresses() []string {
	_, port, err := net.SplitHostPort(p.Listen)
	if err != nil || !p.Open() {
		return []string{"http://" + p.Listen}
	}
	var out []string
	for _, n := range p.Names {
		out = append(out, "http://"+net.JoinHostPort(n, port))
	}
	return out
}

// hosts are the names under which the server may be asked. The port of a listener on port 0 is not known beforehand.
func (p Place) hosts() map[string]bool {
	host, port, err := net.SplitHostPort(p.Listen)
	if err != nil {
		host, port = "127.0.0.1", ""
	}
	names := append([]string{"localhost", "127.0.0.1", "::1"}, p.Names...)
	if ip := net.ParseIP(host); host != "" && (ip == nil || !ip.IsUnspecified()) {
		names = append(names, host)
	}
	out := map[string]bool{}
	for _, n := range names {
		n = strings.ToLower(n)
		out[n] = true
		if strings.Contains(n, ":") {
			out["["+n+"]"] = true
		}
		out[net.JoinHostPort(n, port)] = true
	}
	return out
}

// CheckHost refuses whoever asks under another name.
func (p Place) CheckHost(next echo.HandlerFunc) echo.HandlerFunc {
	hosts := p.hosts()
	return func(c *echo.Context) error {
		host := strings.ToLower(c.Request().Host)
		if hosts[host] {
			return next(c)
		}
		if h, _, err := net.SplitHostPort(host); err == nil && hosts[h] && hosts[net.JoinHostPort(h, "0")] {
			return next(c)
		}
		return c.String(http.StatusMisdirectedRequest, "This workshop is not served under the name in the address. "+
			"Use the address that was printed when it started.\n")
	}
}

// OwnOrigin refuses what a browser says a page of another address sent, before anything of it is read.
func OwnOrigin(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		r := c.Request()
		from := r.Header.Get("Origin")
		if from == "" || r.Method == http.MethodGet || r.Method == http.MethodHead {
			return next(c)
		}
		if u, err := url.Parse(from); err != nil || u.Host == "" || !sameHost(u, r.Host) {
			return echo.NewHTTPError(http.StatusForbidden, "sent by a page of another address")
		}
		return next(c)
	}
}

// sameHost reports whether a page's address is the one that it asks. A browser leaves out the usual port; something
// that speaks TLS may stand before this program, so that the way of speaking is not compared.
func sameHost(page *url.URL, host string) bool {
	usual := map[string]string{"http": "80", "https": "443"}[page.Scheme]
	if usual == "" {
		return false
	}
	bare := func(h string) string {
		if name, port, err := net.SplitHostPort(h); err == nil && port == usual {
			return strings.Trim(name, "[]")
		}
		return strings.Trim(h, "[]")
	}
	return strings.EqualFold(bare(page.Host), bare(host))
}
