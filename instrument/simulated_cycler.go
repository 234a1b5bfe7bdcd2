package instrument

import (
	"bufio"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"strconv"
	"strings"
	"sync"
	"time"

	"pandrel/core/base/numeral"
	"pandrel/core/trainer/virtual"
)

// Plugged returns a module by its number, to be put on a channel; ok is false for one that the simulation does not
// have.
type Plugged func(number string) (virtual.Module, bool)

// SimulatedCycler is a cycler behind the real protocol. Its time runs so many times faster than the clock.
type SimulatedCycler struct {
	Address string

	factor  float64
	plugged Plugged
	l       net.Listener
	mu      sync.Mutex
	rng     *rand.Rand
	slots   []slot
	now     func() time.Time
}

// slot is one channel.
type slot struct {
	run    *virtual.Running
	set    virtual.Limits
	last   time.Time
	begun  bool
	paused bool
}

// stepSeconds is the grain of the simulation.
const stepSeconds = 1.0

// maxFactor keeps a look after a long time from taking one itself.
const maxFactor = 10_000

// StartCycler serves a simulated cycler with so many channels.
func StartCycler(address string, seed uint64, channels int, factor float64, plugged Plugged) (*SimulatedCycler, error) {
	if !(factor > 0 && factor <= maxFactor) {
		return nil, fmt.Errorf("%g times as fast as the clock: expected more than 0, at most %d", factor, maxFactor)
	}
	l, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("simulated cycler on %s: %w", address, err)
	}
	c := &SimulatedCycler{Address: l.Addr().String(), factor: factor, plugged: plugged, l: l, slots: make([]slot,
		channels), rng: rand.New(rand.NewPCG(seed, 0x637963)), now: time.Now}
	go c.serve()
	return c, nil
}

// SetClock gives the cycler another clock than the machine's.
func (c *SimulatedCycler) SetClock(now func() time.Time) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.now = now
}

// Stop ends the server.
func (c *SimulatedCycler) Stop() error { return c.l.Close() }

func (c *SimulatedCycler) serve() {
	for {
		conn, err := c.l.Accept()
		if errors.Is(err, net.ErrClosed) {
			return
		}
		if err != nil {
			continue
		}
		go c.talk(conn)
	}
}

func (c *SimulatedCycler) talk(conn net.Conn) {
	defer conn.Close()
	in := bufio.NewScanner(conn)
	in.Buffer(make([]byte, maxLine), maxLine)
	trouble := ""
	for conn.SetDeadline(time.Now().Add(10*time.Minute)) == nil && in.Scan() {
		answer, err := c.do(strings.TrimSpace(in.Text()), &trouble)
		if err != "" {
			trouble = err
		}
		if answer == "" {
			continue
		}
		if _, err := fmt.Fprintf(conn, "%s\n", answer); err != nil {
			return
		}
	}
}

// do takes one command. trouble is what the last one was refused for.
func (c *SimulatedCycler) do(line string, trouble *string) (answer, refused string) {
	command, rest, _ := strings.Cut(line, " ")
	command = strings.ToUpper(command)
	switch command {
	case "*IDN?":
		return fmt.Sprintf("%s,%s,%g,1", simulatedCycler, numeral.Count(len(c.slots), "channel"), c.factor), ""
	case "SYST:ERR?":
		if *trouble == "" {
			return `0,"No error"`, ""
		}
		t := *trouble
		*trouble = ""
		return fmt.Sprintf("-200,%q", t), ""
	}
	rest, at, ok := strings.Cut(rest, "(@")
	n, err := strconv.Atoi(strings.TrimSuffix(strings.TrimSpace(at), ")"))
	if !ok || err != nil || n < 1 || n > len(c.slots) {
		return "", "no such channel"
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	s := &c.slots[n-1]
	c.advance(s)
	return c.channel(s, command, strings.TrimSuffix(strings.TrimSpace(rest), ","))
}

// advance lets the time that passed since the last look pass on a channel.
func (c *SimulatedCycler) advance(s *slot) {
	now := c.now()
	if s.run == nil {
		s.last = now
		return
	}
	// Whole grains only; what is left waits.
	for dt := now.Sub(s.last).Seconds() * c.factor; dt >= stepSeconds; dt -= stepSeconds {
		s.run.Step(stepSeconds)
		s.last = s.last.Add(time.Duration(stepSeconds / c.factor * float64(time.Second)))
	}
}

// channel takes a command for one channel.
func (c *SimulatedCycler) channel(s *slot, command, arg string) (answer, refused string) {
	if command == "SIM:PLUG" {
		m, ok := c.plugged(arg)
		if !ok {
			return "", "no such module"
		}
		x := m.Clone()
		s.run, s.begun, s.paused, s.last = virtual.NewRunning(&x, ambientOf(x.Name)), false, false, c.now()
		return "", ""
	}
	if s.run == nil {
		if command == "STAT?" {
			return Idle, ""
		}
		return "", "nothing is on the channel"
	}
	set := map[string]*float64{"SOUR:CURR": &s.set.Amps, "SOUR:VOLT:CELL:MAX": &s.set.GroupMax,
		"SOUR:VOLT:CELL:MIN": &s.set.GroupMin, "SOUR:CURR:TAP": &s.set.TaperAmps, "SOUR:TIME:MAX": &s.set.Seconds,
		"SOUR:CHAR:MAX": &s.set.Ah, "SOUR:TEMP:MAX": &s.set.TempMaxC}[command]
	if set != nil {
		v, err := strconv.ParseFloat(arg, 64)
		if err != nil || !(v >= -1e6 && v <= 1e6) {
			return "", "not a number"
		}
		*set = v
		return "", ""
	}
	switch command {
	case "OUTP":
		return "", s.output(arg)
	case "STAT?":
		switch {
		case !s.begun:
			return Idle, ""
		case s.run.Ended != "":
			return Done + "," + s.run.Ended, ""
		case s.paused:
			return Pause, ""
		}
		return Run, ""
	case "FETC:END?":
		if s.run.Ended == "" {
			return "", "no step has ended"
		}
		return c.show(s.run.Last), ""
	case "MEAS?":
		return c.show(s.run.Show()), ""
	}
	return "", "unknown command"
}

// output switches a channel, and says why it does not.
func (s *slot) output(arg string) (refused string) {
	switch strings.ToUpper(arg) {
	case "ON":
		s.run.Begin(s.set)
		s.begun, s.paused = true, false
	case "OFF":
		s.run.Pause()
		s.paused = s.begun && s.run.Ended == ""
	case "CONT":
		s.run.Resume()
		s.paused = false
	default:
		return "ON, OFF or CONT"
	}
	return ""
}

// show writes a moment as the device does: with the noise of its last digits.
func (c *SimulatedCycler) show(x virtual.Shown) string {
	digits := func(v, noise float64) string {
		if v != 0 {
			v += noise * c.rng.NormFloat64() / 3
		}
		return strconv.FormatFloat(v, 'f', 4, 64)
	}
	sum := 0.0
	for _, v := range x.Groups {
		sum += v
	}
	out := []string{strconv.FormatFloat(x.Seconds, 'f', 0, 64), strconv.FormatFloat(x.Ah, 'f', 5, 64), digits(sum,
		0.001), digits(x.Amps, 0.002), strconv.FormatFloat(x.TempC, 'f', 1, 64)}
	for _, v := range x.Groups {
		out = append(out, digits(v, 0.0005))
	}
	return strings.Join(out, ",")
}

// ambientOf is how warm it is where a module stands, by its name: no two places of a bench are alike.
func ambientOf(name string) float64 {
	sum := 0
	for _, r := range name {
		sum += int(r)
	}
	return 20 + float64(sum%20)/10
}
