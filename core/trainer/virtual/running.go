package virtual

import "math"

// Limits end a step of a running test. Zero is no limit. Group volts hold for every group: the first at its limit
// counts.
type Limits struct {
	Amps      float64 // positive charges, negative discharges, 0 rests
	GroupMax  float64 // the current falls so that no group passes it
	GroupMin  float64 // the first group at it ends the step
	TaperAmps float64 // a charge ends when so little flows
	Seconds   float64
	Ah        float64 // magnitude
	TempMaxC  float64
}

// Why a step ended.
const (
	EndTaper = "taper"
	EndFloor = "floor"
	EndTime  = "time"
	EndAh    = "charge"
	EndTemp  = "temperature"
)

// Running is a module on a channel of a cycler. Seconds and Ah count from the last Begin.
type Running struct {
	Module   *Module
	AmbientC float64
	TempC    float64
	Amps     float64
	Seconds  float64
	Ah       float64
	On       bool
	Ended    string // why the last step ended, "" while it runs or none was begun

	// Last is what stood when the last step ended, before its current was switched off.
	Last Shown

	limits Limits
	rc     []float64
}

// Shown is what a channel shows at a moment.
type Shown struct {
	Seconds, Ah, Amps, TempC float64
	Groups                   []float64 // volts
}

// NewRunning puts a module on a channel.
func NewRunning(m *Module, ambientC float64) *Running {
	return &Running{Module: m, AmbientC: ambientC, TempC: ambientC, rc: make([]float64, len(m.Groups))}
}

// Begin starts a step.
func (r *Running) Begin(l Limits) {
	r.limits, r.On, r.Ended, r.Seconds, r.Ah = l, true, "", 0, 0
	r.Amps = r.allowed()
}

// Show is what the channel shows now.
func (r *Running) Show() Shown { return Shown{r.Seconds, r.Ah, r.Amps, r.TempC, r.Volts()} }

// Resume lets a paused step go on.
func (r *Running) Resume() {
	if r.Ended == "" {
		r.On = true
	}
}

// Pause stops the current; the step's counters stay.
func (r *Running) Pause() { r.On, r.Amps = false, 0 }

// Volts are those of each group at the moment.
func (r *Running) Volts() []float64 {
	out := make([]float64, len(r.Module.Groups))
	for i, g := range r.Module.Groups {
		out[i] = r.Module.groupRest(g) + r.Amps*g.ResistanceOhms + r.rc[i]
	}
	return out
}

// allowed is the current that the limits leave: of a charge no more than brings the first group to its limit.
func (r *Running) allowed() float64 {
	a := r.limits.Amps
	if a > 0 && r.limits.GroupMax > 0 {
		for i, g := range r.Module.Groups {
			a = min(a, max(0, (r.limits.GroupMax-r.Module.groupRest(g)-r.rc[i])/g.ResistanceOhms))
		}
	}
	return a
}

// Step lets dt seconds pass. The step ends within it where a limit is reached.
func (r *Running) Step(dt float64) {
	r.Amps = 0
	if r.On {
		r.Amps = r.allowed()
		r.end()
	}
	decay := math.Exp(-dt / rcSeconds)
	watts := 0.0
	for i := range r.Module.Groups {
		g := &r.Module.Groups[i]
		target := r.Amps * rcShare * g.ResistanceOhms
		r.rc[i] = target + (r.rc[i]-target)*decay
		g.SoC = max(-0.2, g.SoC+(r.Amps-g.LeakageAmps)*dt/3600/g.CapacityAh)
		watts += r.Amps * r.Amps * g.ResistanceOhms * (1 + rcShare)
	}
	r.TempC += dt * (watts - 4*(r.TempC-r.AmbientC)) / (900 * float64(len(r.Module.Groups)))
	if r.On {
		r.Seconds += dt
		r.Ah += r.Amps * dt / 3600
	}
}

// end looks whether a limit ends the step, before its current flows any longer.
func (r *Running) end() {
	l := r.limits
	switch {
	case l.Seconds > 0 && r.Seconds >= l.Seconds:
		r.Ended = EndTime
	case l.Ah > 0 && math.Abs(r.Ah) >= l.Ah:
		r.Ended = EndAh
	case l.TempMaxC > 0 && r.TempC >= l.TempMaxC:
		r.Ended = EndTemp
	case l.Amps > 0 && r.Amps <= l.TaperAmps:
		r.Ended = EndTaper
	case l.Amps < 0 && l.GroupMin > 0:
		for _, v := range r.Volts() {
			if v <= l.GroupMin {
				r.Ended = EndFloor
			}
		}
	}
	if r.Ended != "" {
		r.Last = r.Show()
		r.On = false
		r.Amps = 0
	}
}
