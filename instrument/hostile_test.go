package instrument_test

import (
	"bufio"
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"log/slog"
	"math"
	"net"
	"strings"
	"sync/atomic"
	"testing"

	"pandrel/instrument"
)

// answering serves one connection with f and returns its address.
// spot is somewhere to touch.
var spot = instrument.Spot{Module: "K-1", Red: "A", Black: "B"}

func answering(t testing.TB, f func(conn net.Conn)) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = l.Close() })
	go func() {
		conn, err := l.Accept()
		if err != nil {
			return
		}
		defer conn.Close()
		f(conn)
	}()
	return l.Addr().String()
}

// speaking is a meter that has a name and answers every measurement with the same bytes.
func speaking(t testing.TB, answer []byte) string {
	return answering(t, func(conn net.Conn) { answerMeter(conn, answer) })
}

func answerMeter(conn net.Conn, answer []byte) {
	defer conn.Close()
	in := bufio.NewScanner(conn)
	for in.Scan() {
		out := answer
		if in.Text() == "*IDN?" {
			out = []byte("SOME,METER,1,2\n")
		}
		if _, err := conn.Write(out); err != nil || !bytes.HasSuffix(out, []byte("\n")) {
			return
		}
	}
}

// registers is a Modbus device with these input registers; what it has not reads as nothing.
func registers(t testing.TB, values []uint16) string {
	return answering(t, func(conn net.Conn) { answerMonitor(conn, values) })
}

func answerMonitor(conn net.Conn, values []uint16) {
	head := make([]byte, 12)
	for {
		if _, err := io.ReadFull(conn, head); err != nil {
			return
		}
		at, n := int(binary.BigEndian.Uint16(head[8:])), int(binary.BigEndian.Uint16(head[10:]))
		out := append([]byte{head[0], head[1], 0, 0, 0, byte(3 + 2*n), head[6], head[7], byte(2 * n)},
			make([]byte, 2*n)...)
		for i := range n {
			if at+i < len(values) {
				binary.BigEndian.PutUint16(out[9+2*i:], values[at+i])
			}
		}
		if _, err := conn.Write(out); err != nil {
			return
		}
	}
}

func shown(groups int, temp int16, mv ...uint16) []uint16 {
	out := make([]uint16, 16)
	out[0], out[1], out[2], out[3] = 0x5043, uint16(groups), 1, uint16(temp)
	return append(out, mv...)
}

// logged runs f and returns what was logged.
func logged(t *testing.T, f func()) string {
	t.Helper()
	var b bytes.Buffer
	old := slog.Default()
	slog.SetDefault(slog.New(slog.NewTextHandler(&b, nil)))
	defer slog.SetDefault(old)
	f()
	return b.String()
}

func TestAMeterThatTalksNonsenseIsRefused(t *testing.T) {
	for _, answer := range []string{"NaN", "nan", "Inf", "-Infinity", "0x1p4", "0x10", "1_000", "1e36", "1e400",
		"100000", "-100000.0", "3.7 V", "3,7", "", " ", "\x00\x01", "+", ".", "3.7.1", strings.Repeat("9", 200)} {
		t.Run(answer, func(t *testing.T) {
			says := logged(t, func() {
				v, err := instrument.ReadMeter(speaking(t, []byte(answer+"\n")), spot)
				if err == nil {
					t.Errorf("read as %v", v)
				}
			})
			if !strings.Contains(says, "msg=refused") || !strings.Contains(says, "raw=") {
				t.Errorf("the log does not hold what it said: %q", says)
			}
		})
	}
	for answer, want := range map[string]float64{"3.7": 3.7, "+3.291000E+00": 3.291, "-0.0005": -0.0005, ".5": .5,
		"12.": 12} {
		t.Run("good "+answer, func(t *testing.T) {
			if v, err := instrument.ReadMeter(speaking(t, []byte(answer+"\r\n")), spot); err != nil ||
				v != want {
				t.Error(v, err)
			}
		})
	}
}

// A device that never ends its line is not listened to for ever.
func TestAnEndlessLineIsCutOff(t *testing.T) {
	var sent atomic.Int64
	address := answering(t, func(conn net.Conn) {
		for {
			n, err := conn.Write(bytes.Repeat([]byte("7"), 1<<16))
			if sent.Add(int64(n)); err != nil {
				return
			}
		}
	})
	if _, err := instrument.ReadMeter(address, spot); err == nil {
		t.Error("no error")
	}
	if n := sent.Load(); n > 16<<20 {
		t.Errorf("%d bytes were taken", n)
	}
}

func TestAMonitorThatCannotBeRightIsRefused(t *testing.T) {
	for name, c := range map[string]struct {
		regs []uint16
		says string
	}{
		"65.5 V in a group":   {shown(2, 210, 3700, 65500), "65.500 V for group 2"},
		"3 276 °C":            {shown(1, 32767, 3700), "3276.7 °C"},
		"far below freezing":  {shown(1, -32768, 3700), "°C"},
		"more groups than is": {shown(500, 210), "500 groups"},
		"another device":      {make([]uint16, 80), "not a cell monitor"},
	} {
		t.Run(name, func(t *testing.T) {
			says := logged(t, func() {
				m, err := instrument.ReadMonitor(registers(t, c.regs))
				if err == nil || !strings.Contains(err.Error(), c.says) {
					t.Errorf("%+v, %v: expected %q", m, err, c.says)
				}
			})
			if name != "another device" && !strings.Contains(says, "msg=refused") {
				t.Errorf("not in the log: %q", says)
			}
		})
	}
	if m, err := instrument.ReadMonitor(registers(t, shown(2, -55, 3700, 0xFFFF))); err != nil || m.TempC != -5.5 ||
		m.Volts[0] != 3.7 || len(m.Open) != 1 {
		t.Errorf("what can be right was refused: %+v, %v", m, err)
	}
}

func FuzzReadMeter(f *testing.F) {
	for _, s := range []string{"3.7\n", "NaN\n", "0x1p3\n", "1e36\n", "\n", "3.7", "\xff\xfe\n"} {
		f.Add([]byte(s))
	}
	slog.SetDefault(slog.New(slog.DiscardHandler))
	f.Fuzz(func(t *testing.T, answer []byte) {
		here, there := net.Pipe()
		defer here.Close()
		go answerMeter(there, answer)
		v, err := instrument.TalkMeter(here, spot)
		if err == nil && (math.IsNaN(v) || math.Abs(v) > 1500) {
			t.Errorf("%q was read as %v", answer, v)
		}
	})
}

func FuzzReadMonitor(f *testing.F) {
	f.Add([]byte{0x50, 0x43, 0, 2, 0, 1, 0, 210}, false)
	f.Add([]byte{0, 1, 0, 0, 0, 11, 1, 4, 8, 0x50, 0x43, 0, 0, 0, 0, 0, 0}, true)
	slog.SetDefault(slog.New(slog.DiscardHandler))
	// Every try takes a port of the system's for a minute: several addresses of loopback share them out.
	var now atomic.Pointer[func(net.Conn)]
	var addresses []string
	for i := range 16 {
		l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.%d:0", i+1))
		if err != nil {
			break // this system has one address of loopback only
		}
		f.Cleanup(func() { _ = l.Close() })
		addresses = append(addresses, l.Addr().String())
		go func() {
			for {
				conn, err := l.Accept()
				if err != nil {
					return
				}
				(*now.Load())(conn)
				_ = conn.Close()
			}
		}()
	}
	tries := 0
	f.Fuzz(func(t *testing.T, data []byte, raw bool) {
		answer := func(conn net.Conn) { _, _ = conn.Write(data) } // bytes as they come
		if !raw {
			var regs []uint16
			for i := 0; i+1 < len(data); i += 2 {
				regs = append(regs, binary.BigEndian.Uint16(data[i:]))
			}
			answer = func(conn net.Conn) { answerMonitor(conn, regs) }
		}
		now.Store(&answer)
		tries++
		address := addresses[tries%len(addresses)]
		m, err := instrument.ReadMonitor(address)
		if err != nil {
			return
		}
		for _, v := range m.Volts {
			if v < 0 || v > 6 {
				t.Errorf("%v V", v)
			}
		}
		if m.TempC < -60 || m.TempC > 150 || len(m.Volts) == 0 {
			t.Errorf("%+v", m)
		}
	})
}
