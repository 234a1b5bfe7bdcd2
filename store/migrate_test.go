package store_test

import (
	"database/sql"
	"encoding/json"
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
		"INSERT INTO lots (id, supplier, arrived_on, price, freight, currency, note, created_at) VALUES (1, "+
			"'depot', '', "+
			"0, 0, '', '', "+
			""+at+")",
		"INSERT INTO packs VALUES (1, 'S-1', 1, '{}', '', 1, "+at+")",
		"INSERT INTO services VALUES (1, 'hut', 'AK', '{}', "+
			"'', 1, "+at+")",
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
	want := []string{"pack 2/0 disconnect AK true 0  ", "pack 2/0 dead BQ false 0 180 V the meter is at the maker's",
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

// Tests of every kind go along into the one table: with every number as it was, what was taken back stays taken back,
// and the addresses of old still lead there.
func TestTestsGoAlong(t *testing.T) {
	dir := old(t, "011", "PRAGMA foreign_keys = OFF",
		"INSERT INTO modules (id, number, lot_id, type_id, plate_ah, plate_note, station, station_since, created_at) "+
			"VALUES (1, 'K-001', 1, 1, 0, '', 'test', "+at+", "+at+"), (2, 'K-002', 1, 1, 0, '', 'test', "+
			""+at+", "+at+")",
		"INSERT INTO blobs VALUES ('aa', 3, x'00')",
		"INSERT INTO traces VALUES (7, 1, 'a.csv', 'aa', 'AK', "+at+", 1, 2.8, 't7', '{\"EndedByGroup\":3}', 2, 4, 0)",
		"INSERT INTO traces VALUES (9, 1, 'a.csv', 'aa', 'AK', "+at+", 0, 0, 't9', '', 0, 0, 7)",
		"INSERT INTO trace_results VALUES (7, 'r1', '{\"capacity\":{\"ah\":41.25}}', '{}')",
		"INSERT INTO trace_results VALUES (9, 'r1', '{\"capacity\":{\"ah\":40.5}}', '{}')",
		"INSERT INTO hand_results (id, module_id, taken_by, taken_at, capacity_ah, energy_wh, resistance_mohm, amps, "+
			"temp_c, end_volts, note, token, lowest_end_volts, from_full, charge_moved) VALUES (7, 2, 'BQ', "+at+
			", 38.2, 0, 15.4, 14, NULL, 21.4, 'off the \"display\"', 'h7', 3.01, 1, 0)",
		"INSERT INTO bench_runs VALUES (7, 1, 2, '[{\"kind\":\"charge\"}]', 0, 12.5, 'running', '', '[]', 'AK', "+at+
			", NULL, 'r7')",
		"INSERT INTO run_samples VALUES (1, 7, 0, 60, 26.1, 13.2, 21.5, 0.22, '[3.7,3.71]', "+at+")",
		"INSERT INTO hand_tests VALUES (7, 2, '[{\"kind\":\"discharge\"}]', 0, "+at+", 1, 3, 'done', 'BQ', "+at+", "+at+
			", 'b7')",
		"INSERT INTO hand_readings VALUES (1, 7, 0, 30, 11.1, -5, NULL, '[3.7]', 'BQ', "+at+", "+
			"'b7-1')",
		"INSERT INTO services VALUES (3, 'kiosk', 'AK', '{}', '', 1, "+at+", '')",
		"INSERT INTO bank_tests VALUES (7, 'standing', 3, 'AK', "+at+", "+
			"'{\"CapacityAh\":71.4,\"Complete\":true}', '[]', "+
			"'w7')",
		"INSERT INTO strikes VALUES (1, 'hand', 7, 2, 'wrong module', 'AK', "+at+", 's1'), (2, 'trace', 9, 1, "+
			"'wrong file', 'AK', "+at+", 's2'), (3, 'bank-test', 7, NULL, 'wrong bank', 'AK', "+at+", 's3'), (4, "+
			"'survey', 7, 1, 'wrong', 'AK', "+at+", 's4')")
	st := open(t, dir)
	var rows []store.Test
	if err := st.DB.Order("id").Find(&rows).Error; err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, r := range rows {
		given, err := store.Read[any](r.Given)
		if err != nil {
			t.Fatal(err)
		}
		text, err := json.Marshal(given)
		if err != nil {
			t.Fatal(err)
		}
		got = append(got, fmt.Sprintf("%s %s %d module %d %d-%d replaces %d by %s %s %s file %s%s %d %s %g "+
			"gave %v %s", r.Was,
			r.Subject, r.SubjectID, r.ModuleID, r.FromGroup, r.ToGroup, r.Replaces, r.By, r.Token, text,
			r.FileName, r.Sha256,
			r.Channel, r.State, r.BaseSeconds, r.GaveAt != nil, r.GaveToken))
	}
	want := []string{
		`traces-7 module 1 module 1 2-4 replaces 0 by AK t7 {"flip_current":true,"floor_volts":2.8,"read_as":` +
			`{"EndedByGroup":3}} file a.csvaa 0  0 gave true t7`,
		`traces-9 module 1 module 1 0-0 replaces 7 by AK t9 {"flip_current":false,"floor_volts":0,"read_as":{}} file ` +
			`a.csvaa 0  0 gave true t9`,
		`typed-7 module 2 module 2 0-0 replaces 0 by BQ h7 {"amps":14,"capacity_ah":38.2,"charge_moved":false,` +
			`"end_volts":21.4,"energy_wh":0,"from_full":true,"lowest_end_volts":3.01,"note":"off the \"display\"",` +
			`"resistance_mohm":15.4,"temp_c":null} file  0  0 gave true h7`,
		`runs-7 module 1 module 1 0-0 replaces 0 by AK r7 null file  2 running 12.5 gave false `,
		`hand-7 module 2 module 2 1-3 replaces 0 by BQ b7 {} file  0 done 0 gave false `,
		`bank-tests-7 bank 1 module 0 0-0 replaces 0 by AK w7 {"CapacityAh":71.4,"Complete":true} file  0  0 ` +
			`gave true w7`}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("got\n%s\nexpected\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	scalar := func(query string) (out string) {
		t.Helper()
		if err := st.DB.Raw(query).Scan(&out).Error; err != nil {
			t.Fatal(err)
		}
		return out
	}
	for query, want := range map[string]string{
		"SELECT group_concat(t.was || ' ' || r.volts || ' ' || coalesce(r.temp_c, 'none') || ' ' || r.ah || ' " +
			"' || " +
			"" +
			"" +
			"r.cells, '; ') FROM test_readings r JOIN tests t ON t.id = r.test_id": "runs-7 26.1 21.5 0.22 " +
			"[3.7,3.71]; " +
			"hand-7 11.1 none 0.0 " +
			"[3.7]",
		"SELECT group_concat(t.was || ' ' || r.gave, '; ') FROM test_results r JOIN tests t ON t.id = " +
			"r.test_id": `traces-7 ` +
			`{"capacity":{"ah":41.25}}; traces-9 {"capacity":{"ah":40.5}}; bank-tests-7 ` +
			`{"CapacityAh":71.4,"Complete":true}`,
		"SELECT group_concat(was, ' ') FROM counting_tests": "traces-7 runs-7 hand-7",
		"SELECT group_concat(kind || row_id, ' ') FROM (SELECT * FROM strikes ORDER BY id)": fmt.Sprintf(
			"test%d test9 test%d survey7", rows[2].ID, rows[5].ID),
		"SELECT count(*) FROM charge_moved": "1",
	} {
		if got := scalar(query); got != want {
			t.Errorf("%s: %q, expected %q", query, got,
				want)
		}
	}
	for _, stmt := range []string{"UPDATE tests SET given = ''", "UPDATE tests SET by = 'XX'",
		"DELETE FROM tests",
		"UPDATE tests SET sha256 = NULL WHERE id = 7", "UPDATE test_readings SET volts = 1",
		"DELETE FROM test_readings",
		"UPDATE strikes SET reason = ''"} {
		if err := st.DB.Exec(stmt).Error; err == nil || !strings.Contains(err.Error(), "only grows") {
			t.Errorf("%s: %v", stmt, err)
		}
	}
	if err := st.DB.Exec("UPDATE tests SET state = 'done', at_step = 1 WHERE was = 'runs-7'").Error; err != nil {
		t.Errorf("a test cannot go on: %v", err)
	}
}

// Banks of every origin go along into the one table, with what was recorded of them: by the name of another one that
// was built here each is told apart, and a second string finds the bank that it stands beside.
func TestBanksGoAlong(t *testing.T) {
	dir := old(t, "012", "PRAGMA foreign_keys = "+
		"OFF",
		"INSERT INTO lots (id, supplier, arrived_on, price, freight, currency, note, created_at) VALUES (1, "+
			"'depot', '', "+
			"0, 0, '', '', "+
			""+at+")",
		"INSERT INTO banks (id, name, client, need, station, station_since, created_at) VALUES (1, 'hut', "+
			""+
			"'AK', "+
			""+
			"'{\"Beside\":{\"ID\":2,\"Name\":\"kiosk\"}}', 'design', "+at+", "+at+"), (5, 'post', '', '{}', "+
			"'keep', "+at+", "+
			at+")",
		"INSERT INTO services VALUES (1, 'Hut', 'BQ', '{\"FullVolts\":28.8}', 'old', 1, "+at+", ''), (2, "+
			"'kiosk', '', '{}', "+
			"'', 3, "+at+", "+
			"'{\"Series\":8}')",
		"INSERT INTO packs VALUES (1, 'S-1', 1, '{\"Volts\":[7.6]}', 'whole', 1, "+
			""+at+")",
		"INSERT INTO standing_surveys VALUES (4, 2, 'AK', "+at+", 'meter', 0.004, 120, NULL, '[3.3,3.31]', "+
			"'{}', 's4')",
		"INSERT INTO step_records (kind, subject_id, version, step, done_by, done_at, ok, value, reading, "+
			"findings, "+
			""+
			"override, token) VALUES ('standing', 2, 0, 'main', 'AK', "+at+", 1, 0, '', '[]', '', 'r1'), "+
			"('pack', 1, 0, "+
			"'history', 'AK', "+at+", 1, 0, '', '[]', '', 'r2'), ('bank', 1, 7, 'frost', 'AK', "+at+", 1, 0, "+
			"'', '[]', '', "+
			""+
			"'r3')",
		"INSERT INTO tests (source, subject, subject_id, by, at, token) VALUES ('whole', 'standing', 2, 'AK', "+
			""+at+", "+
			"'t1')",
		"INSERT INTO strikes VALUES (1, 'standing-survey', 4, NULL, 'wrong bank', 'AK', "+at+", "+
			""+
			"'x1')")
	st := open(t,
		dir)
	for query, want := range map[string]string{
		"SELECT group_concat(id || ' ' || origin || ' ' || name || ' ' || client || ' ' || was || ' ' || " +
			"opened || cells || " +
			"" +
			"" +
			"pack || note, '; ') FROM (SELECT * FROM banks ORDER BY " +
			"" +
			"id)": `1 built hut AK  ; 5 built post   ; 6 standing Hut ` +
			`(standing) BQ services-1 {"FullVolts":28.8}old; 7 standing kiosk  services-2 {}{"Series":8}; 8 pack ` +
			`S-1  packs-1 {"Volts":[7.6]}whole`,
		"SELECT json_extract(need, '$.Beside.ID') || json_extract(need, '$.Beside.Name') FROM banks WHERE id = " +
			"1": "7kiosk",
		"SELECT bank_id || ' ' || volts || ' ' || taken_by || ' ' || rest_minutes FROM bank_surveys": "7 " +
			"[3.3,3.31] AK 120.0",
		"SELECT count(*) FROM " +
			"counting_bank_surveys": "0",
		"SELECT group_concat(kind || subject_id, ' ') FROM (SELECT * FROM step_records ORDER BY id)": "" +
			"standing7 pack8 bank1",
		"SELECT subject || subject_id FROM tests": "bank7",
		"SELECT kind || row_id FROM strikes":      "bank-survey4",
	} {
		var got string
		if err := st.DB.Raw(query).Scan(&got).Error; err != nil || got != want {
			t.Errorf("%s: %q, %v; expected %q", query, got, err, want)
		}
	}
}
