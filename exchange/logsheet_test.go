package exchange_test

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"slices"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/xuri/excelize/v2"

	"pandrel/core/base/chem"
	"pandrel/core/test/logfile"
	"pandrel/core/test/trace"
	"pandrel/exchange"
)

// book writes a workbook with a sheet of remarks before the log, whose times are of the given kind.
func book(t *testing.T, kind string, lines int) []byte {
	t.Helper()
	f := excelize.NewFile()
	f.SetCellValue("Sheet1", "A1", "Bench 2, with a\nline break")
	f.NewSheet("Log")
	style := func(format string) int {
		id, err := f.NewStyle(&excelize.Style{CustomNumFmt: &format})
		if err != nil {
			t.Fatal(err)
		}
		return id
	}
	styles := map[string]int{"date": style("dd.mm.yyyy hh:mm:ss"), "elapsed": style("[h]:mm:ss"),
		"clock": style("hh:mm:ss")}
	f.SetSheetRow("Log", "A1", &[]any{"Time", "Voltage (V)", "Current (A)", "Note"})
	start := time.Date(2026, 3, 4, 22, 0, 0, 0, time.UTC)
	for i := range lines {
		row := fmt.Sprintf("A%d", i+2)
		amps := -10.0
		if i < 10 {
			amps = 0
		}
		at := time.Duration(i*60) * time.Second
		var stamp any = at.Seconds()
		switch kind {
		case "date":
			stamp = start.Add(at)
		case "elapsed", "clock":
			stamp = at.Hours() / 24
			if kind == "clock" {
				stamp = math.Mod((at.Hours()+22)/24, 1)
			}
		}
		f.SetSheetRow("Log", row, &[]any{stamp, 8.2 - 0.002*float64(i), amps})
		if s := styles[kind]; s != 0 {
			f.SetCellStyle("Log", row, row, s)
		}
	}
	var b bytes.Buffer
	if err := f.Write(&b); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// A log in a spreadsheet says what the same log says as text, however its times are shown.
func TestALogInASheetIsRead(t *testing.T) {
	for _, kind := range []string{"seconds", "date", "elapsed", "clock"} {
		t.Run(kind, func(t *testing.T) {
			text, err := exchange.LogText(t.Context(), book(t, kind, 400))
			if err != nil {
				t.Fatal(err)
			}
			log, err := logfile.Parse(text)
			if err != nil {
				t.Fatalf("%v in %.300s", err, text)
			}
			r, err := trace.Analyse(log, trace.Options{Series: 2, Chemistry: chem.NMC, RatedAh: 100})
			if err != nil || r.Capacity == nil || log.Seconds[399] != 399*60 {
				t.Fatalf("%v: %+v, ends at %v s", err, r.Findings, log.Seconds[len(log.Seconds)-1])
			}
			if want := 10 * 389.5 / 60; math.Abs(r.Capacity.Ah-want) > 0.01 {
				t.Errorf("%.3f Ah: expected %.3f", r.Capacity.Ah, want)
			}
		})
	}
}

// On many cores a log reads as on one, also where its time runs back and lines are no samples.
func TestALogReadsTheSameOnManyCores(t *testing.T) {
	var b bytes.Buffer
	b.WriteString("time_s;volts;amps;Status;temp_c\n")
	at := 0
	for i := range 60_000 {
		switch {
		case i%977 == 0:
			b.WriteString("a line that is none\n")
		case i%13_001 == 0:
			at = 0
		case i%5_003 == 0:
			at -= 7
		}
		fmt.Fprintf(&b, "%d;%.3f;%.2f;%s;%s\n", at, 8.1-float64(i)/1e5, -3.0, []string{"CC DChg", "Rest"}[i%2],
			[]string{"22.5", ""}[i%3%2])
		at += 2
	}
	alone, err := logfile.Parse(b.Bytes())
	if err != nil {
		t.Fatal(err)
	}
	many, err := exchange.ReadLog(t.Context(), b.Bytes(), logfile.ParseOptions{})
	if err != nil {
		t.Fatal(err)
	}
	if !slices.Equal(alone.Seconds, many.Seconds) || !slices.Equal(alone.Volts, many.Volts) ||
		!slices.Equal(alone.Step, many.Step) || !slices.Equal(alone.Parts, many.Parts) ||
		!slices.Equal(alone.Problems, many.Problems) || alone.Skipped != many.Skipped ||
		alone.LineOf(50_000) != many.LineOf(50_000) || len(alone.Parts) == 0 || alone.Skipped < 50 {
		t.Errorf("%d and %d samples, %d and %d lines left out, parts %v and %v", len(alone.Seconds), len(many.Seconds),
			alone.Skipped, many.Skipped, alone.Parts, many.Parts)
	}
}

// Some loggers write two bytes a letter.
func TestALogOfWideLettersIsRead(t *testing.T) {
	text := "Time [s];U [V];I [A];T [°C]\n0;8,2;-1;21\n1;8,1;-1;21\n"
	for name, order := range map[string]binary.AppendByteOrder{"little": binary.LittleEndian, "big": binary.BigEndian} {
		wide := order.AppendUint16(nil, 0xfeff)
		for _, u := range utf16.Encode([]rune(text)) {
			wide = order.AppendUint16(wide, u)
		}
		log, err := exchange.ReadLog(t.Context(), wide, logfile.ParseOptions{})
		if err != nil || len(log.Seconds) != 2 || log.Volts[1] != 8.1 || *log.Columns.Temp != "T [°C]" {
			t.Errorf("%s end first: %v", name, err)
		}
	}
}

func TestWhatIsNoSheetStaysText(t *testing.T) {
	in := []byte("time_s,volts\n0,1\n")
	if out, err := exchange.LogText(t.Context(), in); err != nil || !bytes.Equal(in, out) {
		t.Error(out, err)
	}
	for _, bad := range [][]byte{[]byte("PK\x03\x04 nonsense"), book(t, "date", 3)[:500]} {
		if _, err := exchange.LogText(t.Context(), bad); err == nil {
			t.Error("half a file is read")
		}
	}
}

func FuzzLogText(f *testing.F) {
	f.Add([]byte("PK\x03\x04"))
	f.Fuzz(func(t *testing.T, data []byte) {
		if text, err := exchange.LogText(t.Context(), data); err == nil {
			logfile.Parse(text)
		}
	})
}
