package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"pandrel/core/trainer/virtual"
	"pandrel/demo"
	"pandrel/shop"
	"pandrel/store"
	"pandrel/web"
	"pandrel/web/door"
)

const defaultListen = "127.0.0.1:8460"

// memoryGoal is what the collector of garbage keeps the program under as long as it can; what a single request may take
// is bounded where it is read.
const memoryGoal = 400 << 20

// house is how a workshop is served.
type house struct {
	data, log string
	at        instruments
	place     door.Place
	next      bool // take the next free port where the one asked for is taken
	fill      func(context.Context, *store.Store) error
	ready     func(context.Context, *shop.Shop) // what begins once the workshop is open
}

func serveCmd() *cobra.Command {
	var h house
	c := &cobra.Command{Use: "serve", Short: "Serve the workshop's pages", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := os.MkdirAll(h.data, 0o700); err != nil {
				return store.Fault(h.data, err)
			}
			return h.serve(c)
		}}
	c.Flags().StringVar(&h.data, "data", "data", "folder of the workshop")
	h.flags(c)
	c.Flags().StringVar(&h.at.monitor, "monitor", "", "address of a cell monitor that speaks Modbus TCP, host:port")
	c.Flags().StringVar(&h.at.meter, "meter", "", "address of a bench meter that speaks SCPI over TCP, host:port")
	c.Flags().StringVar(&h.at.cycler, "cycler", "", "address of a cycler that speaks SCPI over TCP, host:port")
	return c
}

// flags are those of every way to serve.
func (h *house) flags(c *cobra.Command) {
	c.Flags().StringVar(&h.place.Listen, "listen", defaultListen,
		"address to serve on; loopback unless you choose otherwise")
	c.Flags().StringArrayVar(&h.place.Names, "host", nil, "name or address under which other machines reach it, "+
		"needed beyond loopback; may be given several times")
	c.Flags().StringVar(&h.log, "log", "", "file for the log, put aside at 4 MiB; the terminal if not given")
}

func demoCmd() *cobra.Command {
	h := house{next: true}
	c := &cobra.Command{Use: "demo", Short: "Serve the sample workshop from a fresh copy", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if h.data == "" {
				dir, err := os.MkdirTemp("", "pandrel-demo-")
				if err != nil {
					return err
				}
				defer os.RemoveAll(dir)
				h.data = dir
			} else if err := os.MkdirAll(h.data, 0o700); err != nil {
				return err
			}
			if _, err := os.Stat(filepath.Join(h.data, store.FileName)); err == nil {
				return fmt.Errorf("%s holds a workshop already: expected an empty folder for the sample", h.data)
			}
			var bench atomic.Pointer[demo.Bench]
			sim, err := startInstruments(instruments{"127.0.0.1:0", "127.0.0.1:0", "127.0.0.1:0"},
				func(module, red, black string) (float64, bool) { return bench.Load().Touch(module, red, black) },
				func(number string) (virtual.Module, bool) { return bench.Load().Module(number) }, cyclerFactor)
			if err != nil {
				return err
			}
			defer sim.stop()
			h.at = sim.at()
			h.fill = func(ctx context.Context, st *store.Store) error {
				b, err := demo.FillBench(ctx, st, time.Now())
				bench.Store(b)
				return err
			}
			h.ready = func(ctx context.Context, s *shop.Shop) { demo.BeginTests(ctx, s) }
			return h.serve(c)
		}}
	c.Flags().StringVar(&h.data, "data", "", "empty folder for the sample; a temporary one if not given")
	h.flags(c)
	return c
}

// serve opens the workshop, fills it where it is to be filled, and answers until it is told to stop.
func (h *house) serve(c *cobra.Command) (err error) {
	ctx, stop := signal.NotifyContext(c.Context(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := h.place.Check(); err != nil {
		return err
	}
	log, err := h.logger(c.ErrOrStderr())
	if err != nil {
		return err
	}
	slog.SetDefault(log)
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(memoryGoal)
	}
	l, err := h.listen(c.ErrOrStderr())
	if err != nil {
		return err
	}
	defer l.Close()
	unlock, err := store.Lock(h.data)
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, unlock()) }()
	if err := h.tidy(); err != nil {
		return store.Fault(h.data, err)
	}
	st, err := store.Open(h.data)
	if err != nil {
		return err
	}
	defer st.Close()
	if h.fill != nil {
		if err := h.fill(ctx, st); err != nil {
			return fmt.Errorf("fill the sample workshop: %w", err)
		}
	}
	workshop, err := h.open(ctx, st, log)
	if err != nil {
		return err
	}
	h.place.Listen = l.Addr().String()
	pages, err := web.New(workshop, h.place, log)
	if err != nil {
		return err
	}
	if h.place.Open() {
		fmt.Fprintln(c.ErrOrStderr(), door.OpenToAll)
	}
	fmt.Fprintf(c.OutOrStdout(), "Pandrel is at %s\n", strings.Join(h.place.Addresses(), " and "))
	if err := door.Serve(ctx, l, pages); err != nil && !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

// open is the workshop with its instruments, judged by the rules as they stand.
func (h *house) open(ctx context.Context, st *store.Store, log *slog.Logger) (*shop.Shop, error) {
	s := shop.New(st, nil)
	s.Zone = time.Local
	s.MonitorAddress, s.MeterAddress, s.CyclerAddress = h.at.monitor, h.at.meter, h.at.cycler
	if err := s.Record.RefreshHolds(ctx); err != nil {
		return nil, fmt.Errorf("judge modules by the rules as they stand: %w", err)
	}
	if h.ready != nil {
		h.ready(ctx, s)
	}
	if h.at.cycler != "" {
		go watch(ctx, s, log)
	}
	return s, nil
}

// watch asks the cycler for the tests that run, every second, until the program ends. The device ends each step by
// itself: nothing hangs on this being in time.
func watch(ctx context.Context, s *shop.Shop, log *slog.Logger) {
	t := time.NewTicker(time.Second)
	defer t.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-t.C:
			if err := s.Tests.Tick(ctx); err != nil && ctx.Err() == nil {
				log.Error("a running test", "error", err)
			}
		}
	}
}

// logger writes to the file that was asked for, else to the terminal.
func (h *house) logger(terminal io.Writer) (*slog.Logger, error) {
	if h.log == "" {
		return newLog(terminal, time.Now), nil
	}
	f, err := openLog(h.log, logFileSize)
	if err != nil {
		return nil, err
	}
	return newLog(f, time.Now), nil
}

// tidy removes what a program that was killed left behind, and lets uploads be spooled in the workshop's own folder,
// where nobody else reads them.
func (h *house) tidy() error {
	incoming, err := filepath.Abs(filepath.Join(h.data, "incoming"))
	if err != nil {
		return err
	}
	if err := errors.Join(store.Tidy(h.data), os.RemoveAll(incoming), os.Mkdir(incoming, 0o700)); err != nil {
		return err
	}
	for _, name := range []string{"TMPDIR", "TMP", "TEMP"} { // what systems call the place for files that do not stay
		if err := os.Setenv(name, incoming); err != nil {
			return err
		}
	}
	return nil
}

// ports is how many ports after the one asked for are tried.
const ports = 20

// listen takes the port that was asked for, or the next free one where that will do.
func (h *house) listen(says io.Writer) (net.Listener, error) {
	l, err := net.Listen("tcp", h.place.Listen)
	if err == nil || !h.next || !errors.Is(err, syscall.EADDRINUSE) {
		if err != nil {
			err = fmt.Errorf("listen on %s: %w; is another Pandrel running?", h.place.Listen, err)
		}
		return l, err
	}
	host, port, serr := net.SplitHostPort(h.place.Listen)
	first, nerr := strconv.Atoi(port)
	if err := errors.Join(serr, nerr); err != nil {
		return nil, err
	}
	for p := first + 1; p <= min(first+ports, 65535); p++ {
		if l, err := net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(p))); err == nil {
			fmt.Fprintf(says, "Port %d is taken, perhaps by another Pandrel: taking %d.\n", first, p)
			return l, nil
		}
	}
	return nil, fmt.Errorf("listen on %s: %w, and none of the %d ports after it is free", h.place.Listen, err, ports)
}
