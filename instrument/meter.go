package instrument

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"net"
	"regexp"
	"strconv"
	"strings"
	"time"
)

// The bench meter speaks SCPI over TCP, a line for each command, as bench multimeters with a network
// socket do: *IDN? names it, MEAS:VOLT:DC? answers with volts.
//
// A real meter reads where its probes are. The simulated one must be told: it names itself with
// simulatedMeter, and then takes SIM:TOUCH module,red,black before a measurement.
const simulatedMeter = "Pandrel simulated bench meter"

// ReadMeter asks the meter at address (host:port) once. module, red and black say where the probes
// are; only a simulated meter is told. Errors say what was tried and what to look at.
func ReadMeter(address, module, red, black string) (volts float64, err error) {
	conn, err := net.DialTimeout("tcp", address, timeout)
	if err != nil {
		return 0, fmt.Errorf("no bench meter answers at %s: is it switched on and connected?", address)
	}
	defer conn.Close()
	return talkMeter(conn, address, module, red, black)
}

// talkMeter asks a meter that is connected.
func talkMeter(conn net.Conn, address, module, red, black string) (volts float64, err error) {
	if err := conn.SetDeadline(time.Now().Add(timeout)); err != nil {
		return 0, err
	}
	r := bufio.NewReaderSize(io.LimitReader(conn, 4*maxAnswer), maxAnswer)
	ask := func(command string) (string, error) {
		if _, err := fmt.Fprintf(conn, "%s\n", command); err != nil {
			return "", fmt.Errorf("the meter at %s stopped listening: %w", address, err)
		}
		line, err := r.ReadSlice('\n') // no longer than the buffer
		if err != nil {
			if len(line) > 0 {
				refused(address, command, string(line))
			}
			return "", fmt.Errorf("the device at %s does not answer %s as a bench meter: %w", address, command, err)
		}
		return strings.TrimSpace(string(line)), nil
	}
	name, err := ask("*IDN?")
	if err != nil {
		return 0, err
	}
	if strings.HasPrefix(name, simulatedMeter) {
		if strings.ContainsAny(module+red+black, ",\n\r") {
			return 0, fmt.Errorf("%s, %s, %s: expected names without commas", module, red, black)
		}
		got, err := ask(fmt.Sprintf("SIM:TOUCH %s,%s,%s", module, red, black))
		if err != nil {
			return 0, err
		}
		if got != "OK" {
			return 0, fmt.Errorf("the simulated meter cannot touch %s and %s of %s: %s", red, black, module, got)
		}
	}
	got, err := ask("MEAS:VOLT:DC?")
	if err != nil {
		return 0, err
	}
	if volts, err = meterVolts(got); err != nil {
		refused(address, "MEAS:VOLT:DC?", got)
		return 0, fmt.Errorf("the meter at %s: %w", address, err)
	}
	return volts, nil
}

// maxAnswer is the longest answer in bytes that a meter may give.
const maxAnswer = 256

// maxMeterVolts is more than any bench meter takes between its probes.
const maxMeterVolts = 1500

// plainNumber is how SCPI writes numbers, and nothing else that Go would read: no hexadecimal, no NaN, no underscores.
var plainNumber = regexp.MustCompile(`^[+-]?(\d{1,20}(\.\d{0,20})?|\.\d{1,20})([eE][+-]?\d{1,3})?$`)

// meterVolts reads an answer, and refuses what cannot be volts between two probes.
func meterVolts(got string) (float64, error) {
	if !plainNumber.MatchString(got) {
		return 0, fmt.Errorf("it answered %.40q: expected volts", got)
	}
	volts, err := strconv.ParseFloat(got, 64)
	if err != nil || math.IsInf(volts, 0) {
		return 0, fmt.Errorf("it answered %.40q: expected volts", got)
	}
	if math.Abs(volts) > 9e36 { // SCPI's way to say overload
		return 0, errors.New("it is over its range: choose a higher one")
	}
	if math.Abs(volts) > maxMeterVolts {
		return 0, fmt.Errorf("it answered %.40q: expected at most %d V. Is it set to volts?", got, maxMeterVolts)
	}
	return volts, nil
}

// refused writes down what a device said that was not taken.
func refused(address, asked, raw string) {
	slog.Warn("refused", "device", address, "asked", asked, "raw", strconv.QuoteToASCII(raw[:min(len(raw), maxAnswer)]))
}
