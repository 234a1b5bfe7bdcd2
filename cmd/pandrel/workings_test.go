package main

import (
	"encoding/json"
	"math"
	"strings"
	"testing"
)

const (
	joined = `{"banks":[{"id":"A","chemistry":"lfp","series":4,"ah":100,"soc":0.9,"mohm_10s":4},
 {"id":"B","chemistry":"LFP","series":4,"ah":100,"rest_v":12.9,"mohm_10s":4}],"link_mohm":2,
 "limits":{"charge_a":50,"fuse_a":%}}`
	shared = `{"strings":[{"id":"a","series":16,"chemistry":"lfp","ah":100,"soc":0.8,"mohm":10,"lead_plus_mohm":0.5,
 "lead_minus_mohm":0.5,"trip_a":100},{"id":"b","series":16,"chemistry":"lfp","ah":100,"soc":0.8,"mohm":10,
 "lead_plus_mohm":0.5,"lead_minus_mohm":0.5,"trip_a":100}],"bus":"diagonal",
 "bus_step_mohm":0.1,"load_w":3000,"cutoff_v":44}`
)

// The documented outputs of join, and its exit status.
func TestJoinCommand(t *testing.T) {
	var r struct {
		First    float64      `json:"first_a"`
		Current  [][2]float64 `json:"current_a"`
		Ah       float64      `json:"ah_moved"`
		EndV     float64      `json:"end_v"`
		To1A     *float64     `json:"seconds_to_1a"`
		Heat     float64      `json:"heat_j"`
		Findings []any        `json:"findings"`
	}
	out, _, status := command(t, "join", "--json", file(t, "j.json", strings.Replace(joined, "%", "0", 1)))
	if err := json.Unmarshal([]byte(out), &r); err != nil || status != 0 {
		t.Fatalf("%v, status %d: %s", err, status, out)
	}
	if want := (4*3.337 - 12.9) / (2*0.004/1.13 + 0.002); math.Abs(r.First-want) > 1e-6 || len(r.Current) < 20 ||
		r.Current[0][0] != 0 || r.Ah <= 0 || r.EndV < 12.9 || r.EndV > 13.35 || r.To1A == nil || r.Heat <= 0 ||
		len(r.Findings) == 0 {
		t.Errorf("%+v", r)
	}
	if _, _, status := command(t, "join", file(t, "j.json", strings.Replace(joined, "%", "5", 1))); status != 1 {
		t.Errorf("a fuse of 5 A: status %d", status)
	}
	for _, bad := range []string{"", "{", `{"banks":[]}`, `{"banks":[{"chemistry":"x"}]}`, strings.Replace(joined,
		"0.9", "9", 1)} {
		if _, e, status := command(t, "join", file(t, "j.json", strings.Replace(bad, "%", "0", 1))); status != 2 ||
			strings.Count(strings.TrimSpace(e), "\n") > 0 || !strings.Contains(e, "j.json") {
			t.Errorf("%.30q: status %d, %q", bad, status, e)
		}
	}
}

func TestShareCommand(t *testing.T) {
	var r struct {
		Amps  map[string]float64 `json:"amps"`
		Volts float64            `json:"voltage_v"`
		Trips []struct {
			Tripped string             `json:"tripped"`
			Amps    map[string]float64 `json:"amps"`
			Then    []string           `json:"then"`
			Carries bool               `json:"carries"`
		} `json:"after_trip"`
		Circulating *float64 `json:"circulating_ah"`
	}
	out, _, status := command(t, "share", "--json", file(t, "s.json", shared))
	if err := json.Unmarshal([]byte(out), &r); err != nil || status != 0 {
		t.Fatalf("%v, status %d", err, status)
	}
	if math.Abs(r.Amps["a"]-r.Amps["b"]) > 1e-9 || math.Abs((r.Amps["a"]+r.Amps["b"])*r.Volts-3000) > 1e-6 ||
		len(r.Trips) != 2 ||
		!r.Trips[0].Carries || math.Abs(r.Trips[0].Amps["b"]-3000.0/44) > 1e-6 || r.Circulating == nil {
		t.Errorf("%+v", r)
	}
}

func TestSumsCommands(t *testing.T) {
	for _, c := range []struct {
		args   []string
		status int
		want   string
	}{
		{[]string{"size", "--watts", "1500", "--volts", "22", "--full-volts", "29.2", "--mohm", "12"}, 0, "fuse 100 A"},
		{[]string{"size", "--amps", "40", "--volts", "24", "--mm2", "2.5", "--json"}, 0, `"mm2": 2.5`},
		{[]string{"size"}, 2, "expected --amps"},
		{[]string{"window", "--chemistry", "lfp", "--series", "8", "--ah", "100"}, 0, "25.800 to 26.736 V"},
		{[]string{"window", "--chemistry", "lfp", "--series", "8", "--low-v", "25.8", "--high-v", "26.736"}, 0,
			"20.0 to 95.0 %"},
		{[]string{"window", "--chemistry", "lfp", "--series", "8", "--volts", "26", "--json"}, 0, `"soc_low": 0.19`},
		{[]string{"window", "--chemistry", "lfp", "--series", "8", "--volts", "15"}, 1, "never-recharge"},
		{[]string{"window"}, 2, "chemistry"},
		{[]string{"balance", file(t, "b.csv", "group,missing_ah\n1,0\n2,3\n"), "--ah", "100", "--bms-a", "0.1"}, 0,
			"15.6 days"},
		{[]string{"balance", file(t, "b.csv", "group;offset_ah\n1;1,5\n2;-1,5\n"), "--ah", "100", "--bms-a", "0.1",
			"--json"}, 0, `"worst_ah": 3`},
		{[]string{"balance", file(t, "b.csv", "group,missing_ah\n1,0\n3,3\n"), "--ah", "100"}, 2,
			"group 2 is not listed"},
		{[]string{"working"}, 0, "balance"},
		{[]string{"working", "idle"}, 0, "an example: none of its numbers is yours"},
		{[]string{"working", "idle", "ah=50", "volts=25.6", "from=80", "draws=bms: 3"}, 0, "days to the floor"},
		{[]string{"working", "idle", "ah=50", "draws=bms: 3"}, 2, "from: empty"}, // nothing of the example slips in
		{[]string{"working", "idle", "nothing=1"}, 2, "expected name=value"},
		{[]string{"working", "nothing"}, 2, "expected one of those"},
		{[]string{"working", "volts", "volts=x"}, 2, "volts"},
	} {
		out, e, status := command(t, c.args...)
		if status != c.status || !strings.Contains(out+e, c.want) {
			t.Errorf("%v: status %d, %q %q; expected %q", c.args, status, out, e, c.want)
		}
	}
}
