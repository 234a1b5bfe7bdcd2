package instrument

import (
	"bufio"
	"fmt"
	"net"
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
	if err := conn.SetDeadline(time.Now().Add(timeout)); err != nil {
		return 0, err
	}
	r := bufio.NewReader(conn)
	ask := func(command string) (string, error) {
		if _, err := fmt.Fprintf(conn, "%s\n", command); err != nil {
			return "", fmt.Errorf("the meter at %s stopped listening: %w", address, err)
		}
		line, err := r.ReadString('\n')
		if err != nil {
			return "", fmt.Errorf("the device at %s does not answer %s as a bench meter: %w", address, command, err)
		}
		return strings.TrimSpace(line), nil
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
	volts, err = strconv.ParseFloat(got, 64)
	if err != nil {
		return 0, fmt.Errorf("the meter at %s answered %.40q: expected volts", address, got)
	}
	if volts > 9e36 || volts < -9e36 { // SCPI's way to say overload
		return 0, fmt.Errorf("the meter is over its range: choose a higher one")
	}
	return volts, nil
}
