package store_test

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/store"
)

// old makes a workshop file as the program before a migration left it, by the files of the migrations before.
func old(t *testing.T, before string, statements ...string) string {
	t.Helper()
	dir := t.TempDir()
	db, err := sql.Open("sqlite", "file:"+filepath.Join(dir, store.FileName))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	exec := func(stmt string) {
		if _, err := db.Exec(stmt); err != nil {
			t.Fatalf("%v in %.80q", err, stmt)
		}
	}
	exec("CREATE TABLE migrations (id TEXT PRIMARY KEY)")
	files, err := filepath.Glob("schema/*.sql")
	if err != nil || len(files) < 6 {
		t.Fatal(files, err)
	}
	for _, f := range files {
		id := strings.TrimSuffix(filepath.Base(f), ".sql")
		if id >= before {
			break
		}
		text, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		exec(string(text))
		exec(fmt.Sprintf("INSERT INTO migrations VALUES ('%s')", id))
	}
	for _, s := range statements {
		exec(s)
	}
	return dir
}

const at = "'2026-11-20 08:00:00'"

// What was recorded of packs, owners' banks and banks on their way into service goes along into the one record.
func TestStepRecordsGoAlong(t *testing.T) {
	const row = at + ", %d, '%s', '[]', '%s', '%s')"
	dir := old(t, "006",
		"PRAGMA foreign_keys = OFF",
		"INSERT INTO pack_records (pack_id, step, done_by, done_at, ok, reading, findings, override, token) VALUES "+
			"(1, 'disconnect', 'AK', "+fmt.Sprintf(row, 1, "", "", "t1"),
		"INSERT INTO pack_records (pack_id, step, done_by, done_at, ok, reading, findings, override, token) VALUES "+
			"(1, 'dead', 'BQ', "+fmt.Sprintf(row, 0, "180 V", "the meter is at the maker''s", "t2"),
		"INSERT INTO service_records (service_id, step, done_by, done_at, value, ok, reading, findings, override, "+
			"token) VALUES (1, 'volts', 'AK', "+strings.Replace(fmt.Sprintf(row, 1, "52.1 V", "", "t1"), at, at+
			", 52.1", 1),
		"INSERT INTO bank_records (bank_id, design_version, step, done_by, done_at, value, ok, reading, findings, "+
			"override, token) VALUES (1, 7, 'frost', 'AK', "+strings.Replace(fmt.Sprintf(row, 1, "2.4", "", "t1"), at,
			at+", 2.4", 1))
	st := open(t, dir)
	var got []store.StepRecord
	if err := st.DB.Order("id").Find(&got).Error; err != nil {
		t.Fatal(err)
	}
	want := []string{"pack 1/0 disconnect AK true 0  ", "pack 1/0 dead BQ false 0 180 V the meter is at the maker's",
		"standing 1/0 volts AK true 52.1 52.1 V ", "bank 1/7 frost AK true 2.4 2.4 "}
	if len(got) != len(want) {
		t.Fatalf("%d records, expected %d", len(got), len(want))
	}
	for i, r := range got {
		text := fmt.Sprintf("%s %d/%d %s %s %v %v %s %s", r.Kind, r.SubjectID, r.Version, r.Step, r.DoneBy, r.OK,
			r.Value, r.Reading, r.Override)
		if text != want[i] {
			t.Errorf("record %d: %q, expected %q", i+1, text, want[i])
		}
	}
	for _, stmt := range []string{"UPDATE step_records SET ok = 1", "DELETE FROM step_records"} {
		if err := st.DB.Exec(stmt).Error; err == nil || !strings.Contains(err.Error(), "only grows") {
			t.Errorf("%s: %v", stmt, err)
		}
	}
}

// A file that cannot be brought up to date stays as it was: all of a migration, or nothing.
func TestAFailedMigrationLeavesTheFileAsItWas(t *testing.T) {
	dir := old(t, "006", "PRAGMA foreign_keys = OFF",
		"INSERT INTO pack_records (pack_id, step, done_by, done_at, ok, reading, findings, override, token) VALUES "+
			"(1, 'dead', 'AK', "+at+", 1, '', '[]', '', 't1')",
		"CREATE TABLE step_records (in_the_way TEXT)")
	if st, err := store.Open(dir); err == nil {
		_ = st.Close()
		t.Fatal("opened over a table that is in the way")
	}
	db, err := sql.Open("sqlite", "file:"+filepath.Join(dir, store.FileName))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	n := 0
	if err := db.QueryRow("SELECT count(*) FROM pack_records").Scan(&n); err != nil || n != 1 {
		t.Errorf("%d records kept, %v", n, err)
	}
}

func TestJSONColumns(t *testing.T) {
	type design struct {
		Name  string
		Volts []float64
	}
	for _, c := range []struct {
		name string
		kept any
		want string
		err  string
	}{
		{"nothing kept", nil, "", ""},
		{"text", `{"Name":"B1"}`, "B1", ""},
		{"bytes", []byte(`{"Name":"B2"}`), "B2", ""},
		{"a number in the column", int64(3), "", "expected text"},
		{"broken text", `{"Name":`, "", "cannot be read"},
	} {
		t.Run(c.name, func(t *testing.T) {
			var j store.JSON[design]
			err := j.Scan(c.kept)
			var d design
			if err == nil {
				d, err = j.Get()
			}
			if c.err == "" && err != nil || c.err != "" && (err == nil || !strings.Contains(err.Error(), c.err)) {
				t.Fatalf("%v, expected %q", err, c.err)
			}
			if d.Name != c.want {
				t.Errorf("%q, expected %q", d.Name, c.want)
			}
			if j.Set() != (c.kept != nil && c.err != "expected text") {
				t.Errorf("set: %v", j.Set())
			}
		})
	}
	st := open(t, t.TempDir())
	want := []finding.Finding{{Level: finding.Stop, Code: "x", Text: "± 2 mV → Ω", Measured: finding.Of(0.1)}}
	row := store.StepRecord{Kind: "bank", Step: "x", Findings: store.JSONOf(want), Token: "t"}
	if err := st.DB.Create(&row).Error; err != nil {
		t.Fatal(err)
	}
	var back store.StepRecord
	if err := st.DB.First(&back, row.ID).Error; err != nil {
		t.Fatal(err)
	}
	got, err := back.Findings.Get()
	if err != nil || len(got) != 1 || got[0].Text != want[0].Text || *got[0].Measured != 0.1 {
		t.Errorf("%+v, %v", got, err)
	}
}
