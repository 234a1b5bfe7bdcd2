package logfile_test

import (
	"fmt"
	"strings"
	"testing"

	"pandrel/core/test/logfile"
	"pandrel/golden"
)

// A log with one letter wrong: what is lost of it, and what is read as something else.
func TestWhatALogWithASlipIsReadAs(t *testing.T) {
	golden.Texts(t, "slips", []string{"t,V,A,°C,step\n0,7.6,-5,21,d\n10,7.5,-5,21,d\n20,7.4,-5,22,ch\n30,7.4,0,22,r\n",
		"Time;U [mV];I\n23:59:40;7600,5;1\n23:59:50;7600;1\n00:00:00;7601;0\n",
		"when,cell1,cell2,charge_a,discharge_a\n1.3.2026 9:00:00,3.8,3.81,0,5\n1.3.2026 " +
			"9:00:10,3.8,3.81,0,5\n1.3.2026 9:00:20,3.8,3.80,0,5\n"}, func(text string) string {
		l, err := logfile.Parse([]byte(text))
		if err != nil {
			return "error: " + err.Error()
		}
		out := fmt.Sprintf("%v s %v V %v A %v °C %v %v", l.Seconds, l.Volts, l.Amps, l.TempC, l.Step, l.Groups)
		for _, p := range l.Problems {
			out += fmt.Sprintf("; line %v", p)
		}
		return out
	})
}

// Logs of many hands: what each is read as, line by line of what is wrong with it.
func TestWhatLogsAreReadAs(t *testing.T) {
	rows := func(head, sep string, cells ...string) string {
		var b strings.Builder
		b.WriteString(head + "\n")
		for i := range 6 {
			var line []string
			for _, c := range cells {
				line = append(line, strings.NewReplacer("#", fmt.Sprint(i*10), "@", fmt.Sprintf("10:00:%02d",
					i*10)).Replace(c))
			}
			b.WriteString(strings.Join(line, sep) + "\n")
		}
		return b.String()
	}
	good := rows("time_s,volts,amps,temp_c,cell1_v,cell2_v", ",", "#", "7.6", "-5", "21.5", "3.8", "3.8")
	lines := strings.Split(good, "\n")
	texts := map[string]string{
		"plain": good, "milli, comma": rows("Zeit [s];Spannung [mV];Strom [mA]", ";", "#", "7600,5", "-5000,25"),
		"clock": rows("Time;Voltage (V);Current (A)", ";", "@", "7,6", "-5"), "dates": rows("Date,Time,U,I", ",",
			"2026-03-01", "@", "7.6", "-5"), "days first": rows("stamp;volts;amps", ";", "13.03.2026 @", "7.6", "-5"),
		"days unsure": rows("stamp,volts,amps", ",", "02/03/2026 @", "7.6", "-5"), "counter " +
			"and step": rows("t,V,A,Ah,Step", ",", "#", "7.6", "-5", "0.#", "DCHG"),
		"two currents": rows("time_s,volts,charge_a,discharge_a", ",", "#", "7.6", "0", "5"),
		"hours, cells from 0": rows(
			"time_h,cell0_v,cell1_v,current", ",", "0.#", "3.8", "3.81", "-5"),
		"units in cells": rows("Time,Voltage,Current", ",", "# s",
			"7.6 V", "-5000 mA"), "watts": rows("time_s,volts,power_w", ",", "#", "7.6", "-38"),
		"preamble":     "a logger\nserial 5\n\n" + good,
		"newest first": strings.Join([]string{lines[0], lines[5], lines[4], lines[3], lines[2], lines[1], ""}, "\n"),
		"gone wrong": strings.Join([]string{lines[0], lines[1], "20,OL,-5,21,3.8,3.8", lines[3],
			"x\n40,7.6", lines[6], ""}, "\n"),
		"backwards": lines[0] + "\n" + lines[1] + "\n" + lines[3] + "\n" + lines[2] + "\n" + lines[4] + "\n",
		"twice":     lines[0] + "\n" + lines[1] + "\n" + lines[1] + "\n" + lines[2] + "\n",
		"no header": strings.Join(lines[1:], "\n"),
		"no volts":  rows("time_s,amps", ",", "#", "-5"), "no time": rows("volts,amps", ",", "7.6", "-5"),
		"empty": "", "head alone": lines[0],
		"tabs, unit behind a slash": rows("t/min\tU/V\tI/A\tϑ/°C", "\t", "#", "7.6", "-5", "21"),
		"quotes": rows(`"Time (s)","V (V)","I (A)"`,
			",", `"#"`, `"7,6"`, `"-5"`), "thousands": rows("time_ms;mV;mA", ";", "#.000", "7.600", "-5.000"),
		"midnight":   "time;volts;amps\n23:59:40;7.6;-5\n23:59:50;7.6;-5\n00:00:00;7.6;-5\n00:00:10;7.6;-5\n",
		"bare words": rows("Nominal,Capacity,U,I,t", ",", "1", "2", "7.6", "-5", "#")}
	type told struct {
		Log  logfile.Log
		Line []int
		Lost []int
	}
	out := map[string]any{}
	for name, text := range texts {
		log, err := logfile.Parse([]byte(text))
		table, perr := logfile.Peek([]byte(text))
		if err != nil {
			out[name] = []any{err.Error(), table, perr}
			continue
		}
		x := told{Log: *log, Lost: []int{log.FirstLost(), log.LostBetween(0, len(log.Seconds)-1)}}
		for i := range log.Seconds {
			x.Line = append(x.Line, log.LineOf(i))
		}
		out[name] = []any{x, table, perr}
	}
	golden.Same(t, "logs", golden.Text(out))
	said := map[string]any{}
	for _, s := range []string{"volts", "volts:mV", "amps:A", "group 3:V", "group3", "group 0", "time:s", "time:min",
		"skip", "x", "ah:mAh",
		"temp:°C", "temp:F", "step", "", "amps:x10", "watts:kW", "clock", "charge:A", "discharge:mA"} {
		a, err := logfile.ParseAssign(s)
		said["\""+s+"\""] = []any{a, err}
	}
	for _, k := range logfile.Kinds() {
		said["kind "+k] = logfile.KindText(k)
	}
	for k := range logfile.Kind(len(logfile.Kinds())) {
		for _, u := range []string{"", "V", "mV", "A", "mA", "kA", "s", "ms", "min", "h", "d", "Ah", "mAh", "W",
			"kW", "°C", "F", "K", "x10", "x"} {
			if f, ok := logfile.UnitFactor(k, u); ok {
				said[fmt.Sprint("unit ", logfile.Kinds()[k], " ", u)] = f
			}
		}
	}
	for _, u := range []string{"V", "mV", "A", "v", "volt", ""} {
		said["volts? "+u] = logfile.IsVoltUnit(u)
	}
	golden.Same(t, "said", golden.Text(said))
}
