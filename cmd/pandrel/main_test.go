package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// command runs the program's commands in this process and returns what it printed and its status.
func command(t *testing.T, args ...string) (out, errOut string, status int) {
	t.Helper()
	c := root()
	var o, e bytes.Buffer
	c.SetOut(&o)
	c.SetErr(&e)
	c.SetArgs(args)
	err := c.ExecuteContext(context.Background())
	var b blocked
	switch {
	case err == nil:
	case errors.As(err, &b):
		status = 1
	default:
		status = 2
		e.WriteString(err.Error())
	}
	return o.String(), e.String(), status
}

// clamped starts simulated instruments on free ports, as they are told.
func clamped(more ...string) []string {
	return append([]string{"instruments", "--monitor", "127.0.0.1:0", "--meter", "127.0.0.1:0", "--cycler",
		"127.0.0.1:0"}, more...)
}

func file(t *testing.T, name, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

const (
	probes  = "red;black;volts\nP1;P0;3,291\nP2;P1;3,290\nP2;P0;6,581\n"
	volts   = "module,group,volts,rest_min\nK-031,1,3.709,60\nK-031,2,3.710,60\nK-031,3,3.711,60\n"
	earlier = "module,group,volts,rest_min,taken_at\nK-031,1,3.790,60,2026-11-01\n" +
		"K-031,2,3.790,60,2026-11-01\nK-031,3,3.790,60,2026-11-01\nK-031,4,3.790,60,2026-11-01\n"
	later = "module,group,volts,rest_min,taken_at\nK-031,1,3.790,60,2026-11-15\n" +
		"K-031,2,3.750,60,2026-11-15\nK-031,3,3.790,60,2026-11-15\nK-031,4,3.790,60,2026-11-15\n"
	logText  = "time_s,volts,amps\n0,4.19,0\n2400,4.19,0\n2410,3.9,-5\n4000,3.7,-5\n6000,3.5,-5\n8000,3.0,-5\n"
	stock    = "module,capacity_ah,resistance_mohm\na,40,12\nb,36,12\nc,39,12\nd,37,12\ne,20,12\n"
	bankList = `{"modules":[{"id":"M1","chemistry":"nmc","groups":[{"volts":3.7},{"volts":3.7}],
 "posts":{"neg":0,"mid":1,"pos":2}}],
 "conductors":[{"id":"F1","kind":"fuse","from":"M1.pos","to":"OUT+"}],
 "bms":[{"id":"B1","kind":"transistor","groups":2,"b_minus":"M1.neg",
 "p_minus":"OUT-","sense":["M1.neg","M1.mid","M1.pos"]}],
 "terminals":{"plus":["OUT+"],"minus":["OUT-"],"earth":[]}}`
)

func TestCommandsAnswer(t *testing.T) {
	sense := file(t, "sense.csv", "bms,input,volts\nB1,0,0\nB1,1,7.4\nB1,2,3.7\n")
	good := file(t, "good.csv", "bms,input,volts,against\nB1,0,0,\nB1,1,3.7,\nB1,2,7.4,\nB1,2,7.4,0\n")
	unproven := file(t, "unproven.csv", "bms,input,volts\nB1,0,0\nB1,1,3.7\nB1,2,7.4\n")
	net := file(t, "bank.json", bankList)
	cases := []struct {
		name   string
		args   []string
		status int
		want   string
	}{
		{"map", []string{"map", file(t, "r.csv", probes), "--chemistry", "lfp"}, 0,
			"2 groups in series, complete: true"},
		{"map with the plate against it", []string{"map", file(t, "r.csv", probes), "--chemistry", "lfp", "--series",
			"3"}, 1, "the plate or type says 3"},
		{"map with roles", []string{"map", file(t, "r.csv", probes), "--chemistry", "lfp", "--roles",
			file(t, "roles.csv", "point,role\nP2,main_negative\n")}, 1, "polarity"},
		{"survey", []string{"survey", file(t, "v.csv", volts), "--chemistry", "nmc", "--rated-ah", "46"}, 0,
			"spread 2 mV  ok"},
		{"survey with a dead group", []string{"survey", file(t, "v.csv", strings.Replace(volts, "3.710", "0.0", 1)),
			"--chemistry", "nmc"}, 1, "reread"},
		{"survey against an earlier one", []string{"survey", file(t, "v.csv", later), "--chemistry", "nmc",
			"--rated-ah", "46", "--previous", file(t, "e.csv", earlier)}, 1, "a leakage of"},
		{"map with the case leaking", []string{"map", file(t, "c.csv", probes+"P2;case;6,58\ncase;P0;0,0\n"),
			"--chemistry", "lfp"}, 1, "The case is not isolated"},
		{"map with the case isolated", []string{"map", file(t, "c.csv", probes+"P2;case;0,0\ncase;P0;0,0\n"),
			"--chemistry", "lfp", "--meter-mohm", "10"}, 0, "Nothing leaks below the limit now: above"},
		{"survey by its own curve", []string{"survey", file(t, "v.csv", volts), "--chemistry", "nmc", "--rated-ah",
			"46", "--curve", file(t, "k.csv", "soc_pct,volts\n0,3.2\n20,3.6\n50,3.72\n80,4.0\n100,4.18\n")}, 0,
			"spread 2 mV  ok"},
		{"trace", []string{"trace", file(t, "l.csv", logText), "--chemistry", "nmc", "--rated-ah", "10"}, 0,
			"complete: true"},
		{"trace flipped", []string{"trace", file(t, "l.csv", logText), "--flip-current"}, 1, "no discharge"},
		{"match", []string{"match", file(t, "s.csv", stock), "--series", "2", "--parallel", "2"}, 0,
			"proved best: true"},
		{"match strings", []string{"match", file(t, "s.csv", stock), "--series", "2", "--parallel", "2", "--style",
			"strings-first"}, 0, "75.00 Ah"},
		{"wiring", []string{"wiring", net}, 0, "2 groups in series, 1 in parallel, 0 shorts"},
		{"wiring, leads swapped", []string{"wiring", net, "--measured", sense}, 1, "sense leads of B1: swapped"},
		{"wiring, lead 0 unproven", []string{"wiring", net, "--measured", unproven}, 1, "sense leads of B1: unproven"},
		{"wiring, leads good", []string{"wiring", net, "--measured", good}, 0, "sense leads of B1: good"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			out, errOut, status := command(t, c.args...)
			if status != c.status || !strings.Contains(out, c.want) {
				t.Errorf("%s: status %d, %q, %q", c.name, status, out, errOut)
			}
			asJSON, _, status := command(t, append(c.args, "--json")...)
			var v map[string]any
			if err := json.Unmarshal([]byte(asJSON), &v); err != nil || status != c.status || v["findings"] == nil {
				t.Errorf("%s: JSON %v, status %d: %.200s", c.name, err, status, asJSON)
			}
		})
	}
}

func TestUnusableInputIsOneLineAndStatusTwo(t *testing.T) {
	cases := []struct {
		name string
		args []string
		want string
	}{
		{"a flag that is no number", []string{"wiring", file(t, "n.json", bankList), "--accuracy", "NaN"},
			"expected a number"},
		{"an endless flag", []string{"balance", file(t, "n.csv", "x"), "--ah", "Inf"}, "expected a number"},
		{"a design current below 0", []string{"wiring", file(t, "d.json", strings.Replace(bankList, `"terminals"`,
			`"design_a":-50,"terminals"`, 1))}, "design_a -50"},
		{"a length below 0", []string{"wiring", file(t, "d.json", strings.Replace(bankList, `"to":"OUT+"`,
			`"to":"OUT+","length_mm":-500`, 1))}, "conductor F1"},
		{"no such file", []string{"map", "nowhere.csv"}, "nowhere.csv"},
		{"empty file", []string{"map", file(t, "e.csv", "")}, "empty"},
		{"binary file", []string{"survey", file(t, "b.csv", "\x00\x01")}, "not text"},
		{"wrong columns", []string{"match", file(t, "w.csv", "a,b\n1,2\n"), "--series", "1", "--parallel", "1"},
			"line 1"},
		{"text in a number", []string{"map", file(t, "t.csv", "red,black,volts\nA,B,high\n")}, "line 2"},
		{"decimal comma", []string{"map", file(t, "c.csv", "red,black,volts\nA,B,3,2\n")}, "semicolons"},
		{"both probes on one point", []string{"map", file(t, "p.csv", "red,black,volts\nA,A,3\n")}, "line 2"},
		{"a group left out", []string{"survey", file(t, "g.csv", "module,group,volts\nA,1,3.7\nA,3,3.7\n")}, "group 2"},
		{"a clamped module without groups", clamped("--series", "0"), "expected 1 to 64 groups"},
		{"a clamped module of no size", clamped("--ah", "0"), "expected 1 to 64 groups of 0.5"},
		{"a clamped chemistry", clamped("--chemistry", "gold"), "expected lfp"},
		{"time that stands", clamped("--factor", "0"), "expected more than 0"},
		{"time that is none", clamped("--factor", "0"), "expected more than 0"},
		{"chemistry", []string{"survey", file(t, "v.csv", volts), "--chemistry", "lead"}, "expected lfp"},
		{"no time to compare", []string{"survey", file(t, "v.csv", later), "--chemistry", "nmc", "--previous",
			file(t, "e.csv", volts)}, "taken_at"},
		{"a curve that falls", []string{"survey", file(t, "v.csv", volts), "--chemistry", "nmc", "--curve",
			file(t, "k.csv", "0 3.2\n20 3.6\n50 3.5\n80 4\n100 4.1\n")}, "does not rise"},
		{"log", []string{"trace", file(t, "x.csv", "hello\n")}, "no header"},
		{"cut", []string{"trace", file(t, "y.csv", logText), "--cut", "50:20"}, "FROM:TO"},
		{"too few modules", []string{"match", file(t, "s.csv", stock), "--series", "9", "--parallel", "2"},
			"at least 18"},
		{"not JSON", []string{"wiring", file(t, "n.json", "{")}, "not JSON"},
		{"no modules", []string{"wiring", file(t, "n.json", "{}")}, "no modules"},
		{"unknown BMS", []string{"wiring", file(t, "n.json", bankList), "--measured",
			file(t, "m.csv", "bms,input,volts\nB9,0,0\n")}, "B9"},
		{"no workshop", []string{"backup", "copy.db", "--data", t.TempDir()}, "no workshop"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			out, errOut, status := command(t, c.args...)
			if status != 2 || !strings.Contains(errOut, c.want) || strings.Count(strings.TrimSpace(errOut), "\n") > 0 ||
				out != "" {
				t.Errorf("%s: status %d, out %q, err %q", c.name, status, out, errOut)
			}
		})
	}
}

func TestUnknownColumnsAreNoted(t *testing.T) {
	_, errOut, status := command(t, "survey", file(t, "v.csv", strings.ReplaceAll(volts, "rest_min", "mood")),
		"--chemistry", "nmc")
	if status != 0 || !strings.Contains(errOut, `note: column "mood"`) {
		t.Errorf("status %d, %q", status, errOut)
	}
}
