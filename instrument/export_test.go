package instrument

// TalkMeter lets the fuzz target speak to the client without a network: one port for each try would use them all up.
var TalkMeter = talkMeter

// TalkCycler does the same for a cycler.
var TalkCycler = talkCycler

// Do gives a simulated cycler one line, and returns its answer.
func (c *SimulatedCycler) Do(line string) string {
	trouble := ""
	answer, _ := c.do(line, &trouble)
	return answer
}
