package instrument

import "net"

// TalkMeter lets the fuzz target speak to the client without a network: one port for each try would use them all up.
func TalkMeter(conn net.Conn, at Spot) (float64, error) {
	m, err := greet(conn, "pipe")
	if err != nil {
		return 0, err
	}
	return m.once(at)
}

// TalkCycler does the same for a cycler.
var TalkCycler = talkCycler

// Do gives a simulated cycler one line, and returns its answer.
func (c *SimulatedCycler) Do(line string) string {
	trouble := ""
	answer, _ := c.do(line, &trouble)
	return answer
}
