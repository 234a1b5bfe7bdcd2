package schedule_test

import (
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"testing"

	"pandrel/core/bench/kit"
	"pandrel/core/bench/schedule"
)

var update = flag.Bool("update", false, "write the benchmark set again")

// instance is one of the benchmark set: hours of each job, on channels that are alike.
type instance struct {
	Channels int
	Hours    []float64
}

// set makes the benchmark set: pallets of one type, of two, of many, and jobs that just do not fit evenly.
func set() (out []instance) {
	r := rand.New(rand.NewPCG(16, 4))
	for n := range 80 {
		in := instance{Channels: 2 + r.IntN(7)}
		for range 4 + r.IntN(56) {
			h := 0.0
			switch n % 4 {
			case 0:
				h = 18 + 4*r.Float64()
			case 1:
				h = []float64{9, 24}[r.IntN(2)] + r.Float64()
			case 2:
				h = 2 + 40*r.Float64()
			default:
				h = float64(10 + r.IntN(11))
			}
			in.Hours = append(in.Hours, math.Round(h*10)/10)
		}
		out = append(out, in)
	}
	return out
}

func jobs(in instance) (out []schedule.Job, s schedule.Shop) {
	for i, h := range in.Hours {
		j := schedule.Job{Name: fmt.Sprint(i), Pin: -1, Steps: []schedule.Step{{Kind: "charge", Hours: h / 2, KWh: 1},
			{Kind: "discharge", Hours: h / 2, KWh: -1}}}
		for range in.Channels {
			j.Hours = append(j.Hours, h)
		}
		out = append(out, j)
	}
	for c := range in.Channels {
		s.Channels = append(s.Channels, fmt.Sprint(c))
	}
	return out, s
}

// On every instance no later than longest first; within 5 % of the bound on average.
func TestTheBenchmarkSet(t *testing.T) {
	const file = "testdata/set.json"
	if *update {
		b, _ := json.Marshal(set())
		if err := os.WriteFile(file, append(b, '\n'), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	var all []instance
	if err := json.Unmarshal(data, &all); err != nil || len(all) < 50 {
		t.Fatalf("%d instances, %v", len(all), err)
	}
	gap, simple := 0.0, 0.0
	for n, in := range all {
		js, s := jobs(in)
		p, err := schedule.Make(js, s)
		if err != nil {
			t.Fatal(err)
		}
		if p.Finish > p.LongestFirst+1e-9 {
			t.Errorf("instance %d ends after %v h, longest first after %v h", n, p.Finish, p.LongestFirst)
		}
		if p.Finish < p.Bound-1e-9 {
			t.Errorf("instance %d: %v h is below the bound of %v h", n, p.Finish, p.Bound)
		}
		sound(t, js, p)
		gap += p.Finish/p.Bound - 1
		simple += p.LongestFirst/p.Bound - 1
	}
	t.Logf("above the bound on average: %.2f %%, longest first %.2f %%", gap/float64(len(all))*100,
		simple/float64(len(all))*100)
	if gap/float64(len(all)) > 0.05 {
		t.Errorf("%.2f %% above the bound on average", gap/float64(len(all))*100)
	}
}

// sound checks that every job runs once, for its hours, and none over another.
func sound(t *testing.T, js []schedule.Job, p schedule.Plan) {
	t.Helper()
	hours := map[string]float64{}
	for i, s := range p.Slots {
		hours[s.Job] += s.End - s.Begin
		if i > 0 && p.Slots[i-1].Channel == s.Channel && s.Begin < p.Slots[i-1].End-1e-9 {
			t.Errorf("%s begins before %s ends", s.Job, p.Slots[i-1].Job)
		}
	}
	for _, j := range js {
		if math.Abs(hours[j.Name]-j.Hours[0]) > 1e-9 && j.Pin < 0 {
			t.Errorf("%s runs for %v h of %v h", j.Name, hours[j.Name], j.Hours[0])
		}
	}
}

// Small instances are tried in every way: the bound holds, and the plan is near the best.
func TestAgainstEveryWay(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 2))
	worst := 0.0
	for range 120 {
		in := instance{Channels: 2 + r.IntN(2)}
		for range 3 + r.IntN(5) {
			in.Hours = append(in.Hours, float64(5+r.IntN(30)))
		}
		js, s := jobs(in)
		p, err := schedule.Make(js, s)
		if err != nil {
			t.Fatal(err)
		}
		best := math.Inf(1)
		ends := make([]float64, in.Channels)
		var try func(i int)
		try = func(i int) {
			if i == len(in.Hours) {
				m := 0.0
				for _, e := range ends {
					m = max(m, e)
				}
				best = min(best, m)
				return
			}
			for c := range ends {
				ends[c] += in.Hours[i]
				try(i + 1)
				ends[c] -= in.Hours[i]
			}
		}
		try(0)
		if p.Bound > best+1e-9 {
			t.Fatalf("%v: bound %v, best %v", in, p.Bound, best)
		}
		worst = max(worst, p.Finish/best-1)
	}
	if worst > 0.07 {
		t.Errorf("%.1f %% above the best", worst*100)
	}
}

// Hands are there from 8 to 17: nothing begins outside; a pinned job stays; what cannot run is named.
func TestHoursAndPins(t *testing.T) {
	js, s := jobs(instance{2, []float64{10, 10, 10, 10, 3}})
	s.Start, s.WorkFrom, s.WorkTo, s.HandsHours = 15, 8, 17, 0.25
	js[4].Pin = 1
	js = append(js, schedule.Job{Name: "none", Hours: []float64{0, 0}, Pin: -1})
	p, err := schedule.Make(js, s)
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range p.Slots {
		at := math.Mod(s.Start+x.Begin, 24)
		if at < 8-1e-9 || at > 16.75+1e-9 {
			t.Errorf("%s begins at %.2f o'clock", x.Job, at)
		}
		if x.Job == "4" && x.Channel != 1 {
			t.Error("the pinned one was moved")
		}
	}
	if len(p.Left) != 1 || p.Left[0] != "none" || p.OneMoreSaves < 0 {
		t.Errorf("left %v, one more saves %v h", p.Left, p.OneMoreSaves)
	}
}

// Energy: nothing from nowhere. A store saves no more than the discharges sent it, and stays between its ends.
func TestTheStore(t *testing.T) {
	js, s := jobs(instance{2, []float64{10, 10, 10, 10}})
	s.Store = kit.Store{KWh: 3, From: 0.5, Efficiency: 0.9}
	p, _ := schedule.Make(js, s)
	if math.Abs(p.WallKWh-4/0.9) > 1e-6 {
		t.Errorf("%v kWh from the wall", p.WallKWh)
	}
	if saved := p.WallKWh - p.WallStoreKWh; saved < 0 || saved > 4*0.81+0.9*3*0.4+1e-9 {
		t.Errorf("the store saves %v kWh", saved)
	}
	for _, x := range p.Store {
		if x[1] < 0.1*3-1e-9 || x[1] > 0.95*3+1e-9 {
			t.Errorf("the store at %v kWh", x[1])
		}
	}
}

func ExampleMake() {
	js, s := jobs(instance{2, []float64{8, 7, 6, 5, 4}})
	p, _ := schedule.Make(js, s)
	fmt.Printf("done after %.0f h, longest first %.0f h, bound %.0f h\n", p.Finish, p.LongestFirst, p.Bound)
	// Output: done after 15 h, longest first 17 h, bound 15 h
}

// What runs already keeps its channel until it is done; the rest is placed around it, and later the longer it takes.
func TestAChannelThatIsTakenIsLeftToItsTest(t *testing.T) {
	jobs := []schedule.Job{{Name: "a", Hours: []float64{4, 4}, Pin: -1}, {Name: "b", Hours: []float64{4, 4}, Pin: -1}}
	last := 0.0
	for _, hours := range []float64{0, 1, 3, 6, 30} {
		p, err := schedule.Make(jobs, schedule.Shop{Channels: []string{"1", "2"},
			Busy: []schedule.Busy{{Job: "r", Hours: hours}}})
		if err != nil {
			t.Fatal(err)
		}
		for _, s := range p.Slots {
			if s.Channel == 0 && !s.Runs && s.Begin < hours || s.Runs && s.End != hours {
				t.Errorf("%g h: %+v", hours, s)
			}
		}
		if want := min(max(4, 4+hours), 8); p.Finish != want || p.Finish < last {
			t.Errorf("taken for %g h it ends after %g h: expected %g", hours, p.Finish, want)
		}
		last = p.Finish
	}
	if _, err := schedule.Make(jobs, schedule.Shop{Channels: []string{"1", "2"},
		Busy: []schedule.Busy{{}, {}, {Hours: 1}}}); err == nil {
		t.Error("a channel that is not there is taken")
	}
}

func BenchmarkMake60(b *testing.B) {
	js, s := jobs(set()[2])
	for b.Loop() {
		if _, err := schedule.Make(js, s); err != nil {
			b.Fatal(err)
		}
	}
}
