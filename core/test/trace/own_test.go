package trace_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/logfile"
	"pandrel/core/test/trace"
)

// cell is a group of the logs made here: an open-circuit curve, a resistance, and one RC pair. It is stepped finely,
// whatever the logger's interval, so that what flowed and where the floor was met are known apart from the log.
type cell struct{ ah, soc, r0, rc float64 }

// made is a log of a module, with what it truly gave from full to the first group at its floor.
type made struct {
	t, amps []float64
	groups  [][]float64
	ah      float64 // that flowed, exactly
	first   int     // group that met its floor
	switchS float64 // when the load came on
	r10     float64 // Ω of the module 10 s after that
	floorS  float64
}

const (
	tau       = 30.0
	ownGroups = 4
)

// discharged makes a log: a charge that tapers at the limit, a rest, a discharge to the floor of the weakest, a rest.
func discharged(rng *rand.Rand, id chem.ID, every float64) (m made, ah float64) {
	c, _ := chem.Lookup(id)
	ah = 20 + 80*rng.Float64()
	amps := ah * (0.2 + 0.25*rng.Float64())
	cells := make([]cell, ownGroups)
	for i := range cells {
		cells[i] = cell{ah: ah * (0.9 + 0.1*rng.Float64()), soc: 0.93, r0: 0.04 / amps * (0.7 + 0.6*rng.Float64())}
	}
	m.groups = make([][]float64, ownGroups)
	const dt = 0.25
	now, next := 0.0, every*rng.Float64()
	volts := func(k cell, i float64) float64 {
		v := c.Curve.Volts(max(0, min(1, k.soc)))
		if k.soc > 1 {
			v += (k.soc - 1) * 3
		}
		if k.soc < 0 {
			v += k.soc * 30
		}
		return v + i*k.r0 + k.rc
	}
	step := func(i float64) (low, high float64) {
		if now >= next {
			m.t, m.amps = append(m.t, now), append(m.amps, i)
			for g, k := range cells {
				m.groups[g] = append(m.groups[g], volts(k, i))
			}
			next += every
		}
		low, high = math.Inf(1), math.Inf(-1)
		for g := range cells {
			k := &cells[g]
			k.soc += i * dt / 3600 / k.ah
			k.rc += (i*k.r0*0.5 - k.rc) * dt / tau
			v := volts(*k, i)
			if v < low {
				low, m.first = v, g+1
			}
			high = max(high, v)
		}
		now += dt
		return low, high
	}
	for i := amps; i > amps/20; { // constant current, then less and less at the limit
		if _, high := step(i); high >= c.ChargeLimitVolts {
			i *= 0.97
		}
	}
	for end := now + 2400; now < end; {
		step(0)
	}
	m.switchS = now
	before := 0.0
	for _, k := range cells {
		before += volts(k, 0)
	}
	for {
		low, _ := step(-amps)
		m.ah += amps * dt / 3600
		if math.Abs(now-m.switchS-10) < dt/2 {
			sum := 0.0
			for _, k := range cells {
				sum += volts(k, -amps)
			}
			m.r10 = (before - sum) / amps
		}
		if low <= c.FloorVolts {
			break
		}
	}
	m.floorS = now
	first := m.first
	for end := now + 2400; now < end; {
		step(0)
	}
	m.first = first
	return m, ah
}

// text writes a log in the plain dialect; digits are those of the volts.
func (m made) text(digits int) []byte {
	var b strings.Builder
	b.WriteString("time_s,volts,amps")
	for g := range m.groups {
		fmt.Fprintf(&b, ",cell%d", g+1)
	}
	b.WriteString("\n")
	for i, t := range m.t {
		total := 0.0
		for _, g := range m.groups {
			total += g[i]
		}
		fmt.Fprintf(&b, "%.2f,%.*f,%.4f", t, digits, total, m.amps[i])
		for _, g := range m.groups {
			fmt.Fprintf(&b, ",%.*f", digits, g[i])
		}
		b.WriteString("\n")
	}
	return []byte(b.String())
}

// totals is text without the columns of groups.
func (m made) totals(digits int) []byte {
	lines := strings.Split(strings.TrimSpace(string(m.text(digits))), "\n")
	for i, line := range lines {
		lines[i] = strings.Join(strings.Split(line, ",")[:3], ",")
	}
	return []byte(strings.Join(lines, "\n"))
}

// at is the sample at a share of the discharge.
func (m made) at(share float64) int {
	i, _ := slices.BinarySearch(m.t, m.switchS+share*(m.floorS-m.switchS))
	return i
}

// disturbed are the ways in which loggers and their leads disturb a log whose truth is known. Each leaves a complete
// discharge, with the capacity that truly flowed.
var disturbed = []struct {
	name   string
	every  float64
	digits int
	do     func(m *made, rng *rand.Rand)
	says   string // a finding that names it
}{
	{"nothing", 5, 4, func(*made, *rand.Rand) {}, ""},
	{"30 s", 30, 4, func(*made, *rand.Rand) {}, ""},
	{"60 s", 60, 3, func(*made, *rand.Rand) {}, ""},
	{"10 mV steps", 5, 2, func(*made, *rand.Rand) {}, ""},
	{"noise of 4 mV", 2, 3, func(m *made, rng *rand.Rand) { m.noise(rng, 0.004, 0) }, ""},
	{"noise of 0.3 A", 2, 3, func(m *made, rng *rand.Rand) { m.noise(rng, 0.001, 0.3) }, ""},
	{"noise of 1 A at 30 s", 30, 3, func(m *made, rng *rand.Rand) { m.noise(rng, 0.001, 1) }, ""},
	{"two bad contacts below the floor", 5, 3, func(m *made, rng *rand.Rand) { m.contact(rng, 0.4, 2, 2.45) },
		"contact"},
	{"two bad contacts at nothing", 5, 3, func(m *made, rng *rand.Rand) { m.contact(rng, 0.6, 2, 0) }, "contact"},
	{"sixty bad contacts", 5, 3, func(m *made, rng *rand.Rand) { m.contact(rng, 0.3, 60, 1.2) }, "contact"},
	{"a bad contact at 30 s", 30, 3, func(m *made, rng *rand.Rand) { m.contact(rng, 0.5, 1, 0) }, "contact"},
	{"a bad contact in the rest", 5, 3, func(m *made, rng *rand.Rand) { m.contact(rng, -0.1, 3, 0.02) }, "contact"},
	{"a bad contact that reads high", 5, 3, func(m *made, rng *rand.Rand) { m.contact(rng, 0.5, 4, 5.0) }, "contact"},
	{"a contact that opens as the load comes on", 5, 3, func(m *made, rng *rand.Rand) { m.contact(rng, 0.0001, 5, 0) },
		""},
	{"one wild current", 5, 3, func(m *made, rng *rand.Rand) { m.amps[m.at(0.5)] = 3000 }, "wild-sample"},
	{"one wild current at 30 s", 30, 3, func(m *made, rng *rand.Rand) { m.amps[m.at(0.5)] = -300 }, "wild-sample"},
	{"a current that reads nothing once", 10, 3, func(m *made, rng *rand.Rand) { m.amps[m.at(0.7)] = 0 },
		"wild-sample"},
	{"another sign", 5, 3, func(m *made, rng *rand.Rand) {
		for i := range m.amps {
			m.amps[i] = -m.amps[i]
		}
	}, ""},
	{"no sign", 10, 3, func(m *made, rng *rand.Rand) {
		for i := range m.amps {
			m.amps[i] = math.Abs(m.amps[i])
		}
	}, ""},
	{"regeneration", 2, 3, func(m *made, rng *rand.Rand) {
		for _, share := range []float64{0.2, 0.5, 0.8} {
			k := m.at(share)
			for i := range 10 {
				m.ah += (-m.amps[k+i] + 5) * 2 / 3600 * -1
				m.amps[k+i] = 5
			}
		}
	}, "regeneration"},
}

func (m *made) noise(rng *rand.Rand, volts, amps float64) {
	for i := range m.amps {
		m.amps[i] += amps * rng.NormFloat64()
		for g := range m.groups {
			m.groups[g][i] += volts * rng.NormFloat64()
		}
	}
}

// contact opens the lead of a group for n samples, from a share of the discharge on.
func (m *made) contact(rng *rand.Rand, share float64, n int, volts float64) {
	g := rng.IntN(ownGroups)
	from := m.at(share)
	for i := from; i < from+n; i++ {
		m.groups[g][i] = volts
	}
}

// Two hundred logs of modules whose truth is known, in two chemistries, each disturbed as loggers and leads do: the
// capacity is what flowed, it is complete, the first group is named, nothing is held, and what disturbed it is said.
func TestADisturbedLogKeepsItsTruth(t *testing.T) {
	for _, d := range disturbed {
		t.Run(d.name, func(t *testing.T) {
			for seed := range uint64(10) {
				rng := rand.New(rand.NewPCG(seed, 2026))
				id := []chem.ID{chem.NMC, chem.LFP}[seed%2]
				m, rated := discharged(rng, id, d.every)
				d.do(&m, rng)
				r := analyse(t, m.text(d.digits), trace.Options{Chemistry: id, RatedAh: rated, Series: ownGroups})
				if r.Held != nil || r.Capacity == nil {
					t.Fatalf("seed %d, %s: %+v %+v", seed, id, r.Held, r.Findings)
				}
				c := r.Capacity
				if !c.Complete || math.Abs(c.Ah-m.ah) > c.UncertaintyAh+0.002*m.ah || c.UncertaintyAh > 0.04*m.ah {
					t.Errorf("seed %d, %s: %.3f ± %.3f Ah, complete %v; %.3f Ah flowed: %s", seed, id, c.Ah,
						c.UncertaintyAh, c.Complete, m.ah, texts(r))
				}
				if d.digits > 2 && !strings.Contains(d.name, "noise") && d.every < 20 &&
					(r.LimitingGroup == nil || *r.LimitingGroup != m.first) {
					t.Errorf("seed %d, %s: group %v met its floor, it was group %d", seed, id, r.LimitingGroup, m.first)
				}
				if len(r.Driven()) > 0 || len(r.Unsettled()) > 0 {
					t.Errorf("seed %d, %s: %+v %+v", seed, id, r.Driven(), r.Unsettled())
				}
				if d.says != "" && !strings.Contains(texts(r), "["+d.says+"]") {
					t.Errorf("seed %d, %s: nothing says %s: %s", seed, id, d.says, texts(r))
				}
			}
		})
	}
}

func texts(r trace.Result) string {
	var b strings.Builder
	for _, f := range r.Findings {
		fmt.Fprintf(&b, "[%s] %s ", f.Code, f.Text)
	}
	return b.String()
}

// The same logs without their groups: the total of a module whose weakest group ended it says at least what flowed, and
// that its mean met no floor; no disturbance makes a floor, a hold or another figure of it.
func TestADisturbedTotalKeepsItsTruth(t *testing.T) {
	for _, d := range disturbed {
		t.Run(d.name, func(t *testing.T) {
			for seed := range uint64(6) {
				rng := rand.New(rand.NewPCG(seed, 2027))
				id := []chem.ID{chem.NMC, chem.LFP}[seed%2]
				m, rated := discharged(rng, id, d.every)
				d.do(&m, rng)
				r := analyse(t, m.totals(d.digits), trace.Options{Chemistry: id, RatedAh: rated, Series: ownGroups,
					EndedByGroup: m.first, EndedAtVolts: map[chem.ID]float64{chem.NMC: 3, chem.LFP: 2.5}[id]})
				if r.Held != nil || r.Capacity == nil {
					t.Fatalf("seed %d, %s: %+v %+v", seed, id, r.Held, r.Findings)
				}
				c := r.Capacity
				if math.Abs(c.Ah-m.ah) > c.UncertaintyAh+0.002*m.ah || c.UncertaintyAh > 0.04*m.ah || !c.Complete {
					t.Errorf("seed %d, %s: %.3f ± %.3f Ah, complete %v; %.3f Ah flowed: %s", seed, id, c.Ah,
						c.UncertaintyAh, c.Complete, m.ah, texts(r))
				}
				if len(r.Driven()) > 0 || len(r.Unsettled()) > 0 {
					t.Errorf("seed %d, %s: %+v %+v", seed, id, r.Driven(), r.Unsettled())
				}
			}
		})
	}
}

// A contact that opened and ended the discharge leaves part of one, whatever it read, and a module that must be
// surveyed, not one that is done for.
func TestAContactThatEndsADischarge(t *testing.T) {
	for seed := range uint64(12) {
		rng := rand.New(rand.NewPCG(seed, 3))
		m, rated := discharged(rng, chem.NMC, 5)
		k := m.at(0.3 + 0.4*rng.Float64())
		volts := []float64{2.95, 1.5, 0}[seed%3]
		g := rng.IntN(ownGroups)
		flowed := 0.0
		for i := 1; i < len(m.t); i++ {
			switch {
			case i == k || i == k+1:
				m.groups[g][i] = volts
			case i > k+1:
				m.amps[i] = 0
			}
			if m.t[i] > m.switchS && i <= k+1 {
				flowed -= m.amps[i] * (m.t[i] - m.t[i-1]) / 3600
			}
		}
		for i := k + 2; i < len(m.t); i++ {
			for n := range m.groups {
				m.groups[n][i] = m.groups[n][k-1] + 0.05
			}
		}
		r := analyse(t, m.text(3), trace.Options{Chemistry: chem.NMC, RatedAh: rated, Series: ownGroups})
		c := r.Capacity
		if r.Held != nil || c == nil || c.Complete || math.Abs(c.Ah-flowed) > 0.01*flowed {
			t.Errorf("seed %d: %+v, %.3f Ah flowed: %s", seed, c, flowed, texts(r))
		}
		if len(r.Driven()) > 0 || volts < 2 && len(r.Unsettled()) == 0 {
			t.Errorf("seed %d, %g V: %s", seed, volts, texts(r))
		}
	}
}

// The resistance of a load step lies in the interval that is told, at any interval of the logger, or is not told.
func TestResistanceIsAnInterval(t *testing.T) {
	told := 0
	for _, every := range []float64{0.5, 1, 2, 5, 10, 30, 60} {
		for seed := range uint64(8) {
			rng := rand.New(rand.NewPCG(seed, 5))
			m, rated := discharged(rng, chem.NMC, every)
			r := analyse(t, m.text(4), trace.Options{Chemistry: chem.NMC, RatedAh: rated, Series: ownGroups})
			for _, x := range r.Resistance {
				if x.AtS < m.switchS-1 || x.AtS > m.switchS+2*every {
					continue
				}
				if every >= 2 && x.AfterS == 1 {
					t.Errorf("%g s: a resistance at 1 s", every)
				}
				if x.AfterS == 10 {
					told++
					if math.Abs(x.MilliO-m.r10*1000) > x.UMilliO+0.02*m.r10*1000 {
						t.Errorf("%g s, seed %d: %+v, it has %.3f mΩ", every, seed, x, m.r10*1000)
					}
				}
			}
		}
	}
	if told < 20 {
		t.Errorf("only %d told at 10 s", told)
	}
}

// A tenth of what flowed, or ten times as much, is asked about and offered as what it likely is; where somebody
// measured the current with a second meter it stands.
func TestACurrentOfAnotherRangeIsAskedAbout(t *testing.T) {
	for seed := range uint64(8) {
		for _, factor := range []float64{0.1, 10} {
			rng := rand.New(rand.NewPCG(seed, 9))
			m, rated := discharged(rng, chem.NMC, 10)
			for i := range m.amps {
				m.amps[i] *= factor
			}
			opt := trace.Options{Chemistry: chem.NMC, RatedAh: rated, Series: ownGroups}
			r := analyse(t, m.text(3), opt)
			if r.Held == nil || !strings.Contains(r.Held.Try, "x") {
				t.Fatalf("× %g: %+v %+v", factor, r.Held, r.Capacity)
			}
			unit := map[float64]string{0.1: "x10", 10: "x0.1"}[factor]
			log, err := logfile.ParseWith(m.text(3), logfile.ParseOptions{Columns: map[int]logfile.Assign{
				3: {Kind: "amps", Unit: unit}}})
			if err != nil {
				t.Fatal(err)
			}
			right, err := trace.Analyse(log, opt)
			if err != nil || right.Held != nil || !right.Capacity.Complete ||
				math.Abs(right.Capacity.Ah-m.ah) > 0.01*m.ah {
				t.Errorf("× %g: %+v %v", factor, right.Capacity, err)
			}
			if factor < 1 {
				opt.Checked = true
				if r = analyse(t, m.text(3), opt); r.Held != nil || !r.Capacity.Complete {
					t.Errorf("checked, and held: %+v", r.Held)
				}
			}
		}
	}
}

// A log without the column of a group names the others by their own numbers, its total is that of all groups, and it
// says what nobody looked at.
func TestAGroupWithoutAColumn(t *testing.T) {
	for seed := range uint64(8) {
		rng := rand.New(rand.NewPCG(seed, 11))
		m, rated := discharged(rng, chem.NMC, 10)
		gone := 1 + rng.IntN(ownGroups-1) // from 1: the last has nothing behind it that could be called wrong
		if gone == m.first {
			continue
		}
		lines := strings.Split(strings.TrimSpace(string(m.text(4))), "\n")
		for i, line := range lines {
			f := strings.Split(line, ",")
			f = slices.Delete(f, 2+gone, 3+gone)
			lines[i] = strings.Join(slices.Delete(f, 1, 2), ",") // nor a column of the total
		}
		for _, series := range []int{0, ownGroups} {
			r := analyse(t, []byte(strings.Join(lines, "\n")), trace.Options{Chemistry: chem.NMC, RatedAh: rated,
				Series: series})
			if r.LimitingGroup == nil || *r.LimitingGroup != m.first ||
				!strings.Contains(texts(r), fmt.Sprintf("no column of group %d", gone)) {
				t.Errorf("seed %d: without group %d, group %d was first: %v, %s", seed, gone, m.first, r.LimitingGroup,
					texts(r))
			}
			if each := r.Capacity.Wh / r.Capacity.Ah / ownGroups; each < 3.3 || each > 4 {
				t.Errorf("seed %d: %.2f V a group in the mean", seed, each)
			}
		}
	}
}

// Full volts of its own make a full start known without a chemistry.
func TestFullWithoutAChemistry(t *testing.T) {
	m, rated := discharged(rand.New(rand.NewPCG(1, 13)), chem.NMC, 10)
	for full, want := range map[float64]bool{4.2: true, 4.35: false, 0: false} {
		r := analyse(t, m.text(4), trace.Options{RatedAh: rated, Series: ownGroups, FullVolts: full, FloorVolts: 3})
		if r.Capacity == nil || r.Capacity.Complete != want {
			t.Errorf("full at %g V: complete %v: %s", full, r.Capacity.Complete, texts(r))
		}
	}
}

// A discharge with a gap is told as the same interval wherever it is told, and one without as its figure.
func TestACapacityIsToldOnce(t *testing.T) {
	m, rated := discharged(rand.New(rand.NewPCG(4, 17)), chem.NMC, 10)
	lines := strings.Split(strings.TrimSpace(string(m.text(4))), "\n")
	from := m.at(0.4)
	opt := trace.Options{Chemistry: chem.NMC, RatedAh: rated, Series: ownGroups}
	whole := analyse(t, []byte(strings.Join(lines, "\n")), opt).Capacity
	lines = slices.Delete(lines, from, from+60)
	gap := analyse(t, []byte(strings.Join(lines, "\n")), opt).Capacity
	if whole.Gapped() || !strings.Contains(whole.Text(), " ± ") || !gap.Gapped() ||
		!strings.Contains(gap.Text(), " to ") || gap.Ah > m.ah || gap.Ah+gap.GapAh < m.ah {
		t.Errorf("%s, and %s with a gap, of %.2f Ah", whole.Text(), gap.Text(), m.ah)
	}
}

// A group that was driven too low and charged at once with a current of the same size did fall: its way back up is no
// contact.
func TestAChargeOfTheSameSizeIsNoWayBack(t *testing.T) {
	var b strings.Builder
	b.WriteString("time_s,volts,amps,cell1,cell2\n")
	at := 0
	add := func(amps, one, two float64) {
		fmt.Fprintf(&b, "%d,%.3f,%.2f,%.3f,%.3f\n", at, one+two, amps, one, two)
		at += 30
	}
	for range 80 {
		add(0, 4.19, 4.19)
	}
	for i := range 300 {
		add(-20, 4.1-float64(i)*0.003, 4.1-float64(i)*0.002)
	}
	add(-20, 2.6, 3.48)
	add(-20, 1.8, 3.46)
	add(-20, 1.6, 3.45)
	for i := range 100 {
		add(20, 3.4+float64(i)*0.004, 3.6+float64(i)*0.003)
	}
	r := analyse(t, []byte(b.String()), trace.Options{Chemistry: chem.NMC, RatedAh: 60, Series: 2})
	if len(r.Driven()) == 0 || strings.Contains(texts(r), "[contact]") {
		t.Errorf("driven to 1.6 V: %s", texts(r))
	}
}
