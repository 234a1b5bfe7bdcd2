package exchange_test

import (
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"

	"pandrel/core/bank/join"
	"pandrel/core/bank/share"
	"pandrel/core/base/chem"
	"pandrel/core/module/survey"
	"pandrel/exchange"
)

func ExampleReadProbes() {
	rs, _, _ := exchange.ReadProbes([]byte("red;black;volts\nP1;P0;3,291\n"))
	fmt.Println(rs[0].Red, rs[0].Black, rs[0].Volts, rs[0].LastDigit)
	// Output: P1 P0 3.291 0.001
}

func TestDialectsGiveTheSameReadings(t *testing.T) {
	for name, text := range map[string]string{
		"comma":          "red,black,volts\nP1,P0,3.291\nP2,P1,3.300\n",
		"semicolon":      "red;black;volts\nP1;P0;3,291\nP2;P1;3,300\n",
		"pasted":         "P1\tP0\t3,291\nP2\tP1\t3.300",
		"mark and CRLF":  "\xef\xbb\xbfRed,Black,Volts\r\nP1,P0,3.291\r\n\r\nP2,P1,3.300\r\n",
		"other order":    "volts,red,black,remark\n3.291,P1,P0,x\n3.300,P2,P1,y\n",
		"quoted decimal": "red,black,volts\nP1,P0,\"3,291\"\nP2,P1,\"3,300\"\n",
	} {
		t.Run(name, func(t *testing.T) {
			rs, notes, err := exchange.ReadProbes([]byte(text))
			if err != nil || len(rs) != 2 || rs[0].Volts != 3.291 || rs[1].Red != "P2" {
				t.Errorf("%s: %+v, %v", name, rs, err)
			}
			if (len(notes) > 0) != (name == "other order") {
				t.Errorf("%s: notes %v", name, notes)
			}
		})
	}
}

func TestErrorsSayWhereAndWhat(t *testing.T) {
	probes := func(s string) error { _, _, err := exchange.ReadProbes([]byte(s)); return err }
	surveys := func(s string) error { _, _, err := exchange.ReadSurvey([]byte(s), chem.NMC, 46); return err }
	matches := func(s string) error { _, _, err := exchange.ReadMatch([]byte(s)); return err }
	wirings := func(s string) error { _, _, err := exchange.ReadWiring([]byte(s)); return err }
	measured := func(s string) error { _, _, err := exchange.ReadMeasured([]byte(s)); return err }
	roles := func(s string) error { _, _, err := exchange.ReadRoles([]byte(s)); return err }
	cases := []struct {
		name string
		err  error
		line int
		want string
	}{
		{"empty", probes(""), 0, "empty"},
		{"binary", probes("\x00\x01\x02"), 0, "not text"},
		{"header only", probes("red,black,volts\n"), 0, "no lines"},
		{"missing column", probes("red,volts\nP1,3\n"), 1, "no column black"},
		{"text in a number", probes("red,black,volts\nP1,P0,high\n"), 2, "not a number"},
		{"decimal comma between commas", probes("red,black,volts\nP1,P0,3,291\n"), 2, "semicolons"},
		{"decimal comma into the accuracy", probes("red,black,volts,accuracy_v\nP1,P0,3,291\n"), 2, "semicolons"},
		{"no name", probes("red,black,volts\n,P0,3.2\n"), 2, "no name"},
		{"decimal comma into the temperature", surveys("module,group,volts,temp_c\nA,1,3,845\n"), 2, "semicolons"},
		{"half a group", surveys("module,group,volts\nA,1.5,3.8\n"), 2, "whole number"},
		{"twice", surveys("module,group,volts\nA,1,3.8\nA,1,3.8\n"), 3, "read twice"},
		{"time", surveys("module,group,volts,taken_at\nA,1,3.8,noon\n"), 2, "taken_at"},
		{"ban", matches("module,capacity_ah,ban\nA,40,x\n"), 2, "position numbers"},
		{"capacity missing", matches("module,capacity_ah\nA,\n"), 2, "empty"},
		{"not JSON", wirings("{\n\"modules\": oops}"), 2, "not JSON"},
		{"wrong type", wirings("{\"modules\": 3}"), 1, "expected"},
		{"input", measured("bms,input,volts\nB1,one,3\n"), 2, "input"},
		{"role", roles("point,role\nA,king\n"), 2, "expected main_negative"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			var e *exchange.Error
			if !errors.As(c.err, &e) || e.Line != c.line || !strings.Contains(e.Text, c.want) {
				t.Errorf("%s: %v (line %d)", c.name, c.err, c.line)
			}
		})
	}
}

func TestSecondReadingConfirms(t *testing.T) {
	ms, _, err := exchange.ReadSurvey([]byte("module,group,volts,rest_min\nA,1,3.7,60\nA,2,1.8,60\nA,2,1.81,60\n"),
		chem.NMC, 46)
	if err != nil || len(ms) != 1 || !ms[0].Readings[1].Confirmed || ms[0].RestMinutes != 60 {
		t.Fatalf("%+v, %v", ms, err)
	}
	r, err := survey.JudgeGroups(ms[0], survey.DefaultPolicy)
	if err != nil || r.Verdict != survey.Quarantine {
		t.Errorf("%s, %v", r.Verdict, err)
	}
}

func TestWiringNotesUnknownKeys(t *testing.T) {
	n, notes, err := exchange.ReadWiring(
		[]byte(`{"modules":[{"id":"M1","groups":[{"volts":3.7}],"posts":{"neg":0,"pos":1}}],"colour":"red"}`))
	if err != nil || len(n.Modules) != 1 || len(notes) != 1 {
		t.Errorf("%+v, %v, %v", n, notes, err)
	}
}

func FuzzReaders(f *testing.F) {
	f.Add([]byte("red,black,volts\nP1,P0,3.291\n"))
	f.Add([]byte("module;group;volts\nA;1;3,8\n"))
	f.Add([]byte("module,capacity_ah,pin,ban\nA,40,1,2 3\n"))
	f.Add([]byte(`{"modules":[]}`))
	f.Add([]byte(`{"banks":[{"id":"a","chemistry":"lfp","series":4,"ah":100,"soc":0.9,"mohm_10s":4},{"id":"b",` +
		`"chemistry":"lfp","series":4,"ah":100,"rest_v":13.1}],"link_mohm":2,"limits":{"fuse_a":30}}`))
	f.Add([]byte(`{"strings":[{"id":"a","series":16,"chemistry":"lfp","ah":100,"soc":0.8,"mohm":10},{"id":"b",` +
		`"series":16,"chemistry":"lfp","ah":100,"soc":0.8,"mohm":12}],"bus":"end","bus_step_mohm":0.1,"load_w":3000}`))
	f.Add([]byte("group;missing_ah\n1;0\n2;1,5\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		rs, _, err := exchange.ReadProbes(data)
		for _, r := range rs {
			if err == nil && (r.Red == "" || math.IsNaN(r.Volts)) {
				t.Fatal("an unusable reading came through")
			}
		}
		_, _, _ = exchange.ReadSurvey(data, chem.LFP, 0)
		_, _, _ = exchange.ReadMatch(data)
		if in, _, err := exchange.ReadJoin(data); err == nil && len(in.Banks) < 4 {
			_, _ = join.Solve(in)
		}
		if in, _, err := exchange.ReadShare(data); err == nil && len(in.Strings) < 4 {
			_, _ = share.Solve(in)
		}
		if m, _, err := exchange.ReadMissing(data); err == nil && len(m) == 0 {
			t.Fatal("no groups came through")
		}
		_, _, _ = exchange.ReadMeasured(data)
		_, _, _ = exchange.ReadRoles(data)
		_, _, _ = exchange.ReadWiring(data)
	})
}
