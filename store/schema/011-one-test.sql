-- A test is one thing, whatever made it: a log, a typed figure, the cycler, a person with a clock, a whole bank; of a
-- module, a part of it, a bank. What was given is kept for ever; how it goes on while it is worked changes, until what
-- it came to lies beside it. The tables that it replaces are copied row by row; the addresses of their rows, as they
-- were printed, stand in 'was'.
CREATE TABLE tests (
  id INTEGER PRIMARY KEY, source TEXT NOT NULL, subject TEXT NOT NULL, subject_id INTEGER NOT NULL,
  module_id INTEGER GENERATED ALWAYS AS (CASE subject WHEN 'module' THEN subject_id END) VIRTUAL REFERENCES modules(id),
  from_group INTEGER NOT NULL DEFAULT 0, to_group INTEGER NOT NULL DEFAULT 0, replaces INTEGER NOT NULL DEFAULT 0,
  given TEXT NOT NULL DEFAULT '', by TEXT NOT NULL, at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE,
  was TEXT NOT NULL DEFAULT '',
  file_name TEXT NOT NULL DEFAULT '', sha256 TEXT REFERENCES blobs(sha256),
  steps TEXT NOT NULL DEFAULT '', channel INTEGER NOT NULL DEFAULT 0, at_step INTEGER NOT NULL DEFAULT 0,
  step_at DATETIME, base_seconds REAL NOT NULL DEFAULT 0, state TEXT NOT NULL DEFAULT '',
  trouble TEXT NOT NULL DEFAULT '', findings TEXT NOT NULL DEFAULT '', ended_at DATETIME,
  gave_at DATETIME, gave_token TEXT NOT NULL DEFAULT ''
);
CREATE INDEX tests_subject ON tests(subject, subject_id);
CREATE INDEX tests_module ON tests(module_id);
CREATE INDEX tests_state ON tests(state) WHERE state IN ('running', 'paused');
CREATE INDEX tests_replaces ON tests(replaces) WHERE replaces > 0;
CREATE INDEX tests_was ON tests(was) WHERE was <> '';
CREATE INDEX tests_gave_token ON tests(gave_token);
-- What was read while a test was worked, seconds from its beginning or, by hand, from that of its step.
CREATE TABLE test_readings (
  id INTEGER PRIMARY KEY, test_id INTEGER NOT NULL REFERENCES tests(id), at_step INTEGER NOT NULL,
  seconds REAL NOT NULL, volts REAL NOT NULL, amps REAL NOT NULL, temp_c REAL, ah REAL NOT NULL DEFAULT 0,
  cells TEXT NOT NULL, by TEXT NOT NULL DEFAULT '', at DATETIME NOT NULL, token TEXT UNIQUE
);
CREATE INDEX test_readings_test ON test_readings(test_id);
-- What the rules made of a test.
CREATE TABLE test_results (
  test_id INTEGER PRIMARY KEY REFERENCES tests(id), rules_version TEXT NOT NULL, gave TEXT NOT NULL,
  thin TEXT NOT NULL DEFAULT ''
);

INSERT INTO tests (id, source, subject, subject_id, from_group, to_group, replaces, given, by, at, token, was,
    file_name, sha256, gave_at, gave_token)
  SELECT id, 'log', 'module', module_id, from_group, to_group, replaces, json_object('flip_current',
    json(iif(flip_current, 'true', 'false')), 'floor_volts', floor_volts, 'read_as', json(iif(read_as = '', '{}',
    read_as))), taken_by, uploaded_at, token, 'traces-' || id, file_name, sha256, uploaded_at, token FROM traces;
INSERT INTO test_results (test_id, rules_version, gave, thin)
  SELECT trace_id, rules_version, result, thin FROM trace_results;
INSERT INTO tests (source, subject, subject_id, from_group, to_group, given, by, at, token, was, gave_at, gave_token)
  SELECT 'typed', 'module', module_id, from_group, to_group, json_object('capacity_ah', capacity_ah, 'energy_wh',
    energy_wh, 'resistance_mohm', resistance_mohm, 'amps', amps, 'temp_c', temp_c, 'end_volts', end_volts,
    'lowest_end_volts', lowest_end_volts, 'from_full', json(iif(from_full, 'true', 'false')), 'charge_moved',
    json(iif(charge_moved, 'true', 'false')), 'note', note), taken_by, taken_at, token, 'typed-' || id, taken_at, token
  FROM hand_results ORDER BY id;
INSERT INTO tests (source, subject, subject_id, by, at, token, was, steps, channel, at_step, base_seconds, state,
    trouble, findings, ended_at)
  SELECT 'cycler', 'module', module_id, by, started_at, token, 'runs-' || id, steps, channel, at_step, base_seconds,
    state, trouble, findings, ended_at FROM bench_runs ORDER BY id;
INSERT INTO tests (source, subject, subject_id, from_group, to_group, given, by, at, token, was, steps, at_step,
    step_at, state, ended_at)
  SELECT 'hand', 'module', module_id, from_group, to_group, '{}', by, started_at, token, 'hand-' || id, steps, at_step,
    step_at, state, ended_at FROM hand_tests ORDER BY id;
INSERT INTO tests (source, subject, subject_id, given, by, at, token, was, findings, gave_at, gave_token)
  SELECT 'whole', kind, subject_id, test, taken_by, taken_at, token, 'bank-tests-' || id, findings, taken_at, token
  FROM bank_tests ORDER BY id;
INSERT INTO test_results (test_id, rules_version, gave)
  SELECT id, '', given FROM tests WHERE source = 'whole';
INSERT INTO test_readings (test_id, at_step, seconds, volts, amps, temp_c, ah, cells, at)
  SELECT t.id, s.at_step, s.seconds, s.volts, s.amps, s.temp_c, s.ah, s.cells, s.at FROM run_samples s JOIN tests t
  ON t.was = 'runs-' || s.run_id ORDER BY s.id;
INSERT INTO test_readings (test_id, at_step, seconds, volts, amps, temp_c, cells, by, at, token)
  SELECT t.id, h.at_step, h.seconds, h.volts, h.amps, h.temp_c, h.cells, h.by, h.at, h.token FROM hand_readings h
  JOIN tests t ON t.was = 'hand-' || h.test_id ORDER BY h.id;

-- What was taken back stays taken back.
DROP TRIGGER IF EXISTS strikes_no_update;
UPDATE strikes SET row_id = (SELECT id FROM tests WHERE was = CASE kind WHEN 'trace' THEN 'traces-' WHEN 'hand' THEN
  'typed-' ELSE 'bank-tests-' END || row_id), kind = 'test' WHERE kind IN ('trace', 'hand', 'bank-test');

DROP VIEW charge_moved;
DROP VIEW counting_traces;
DROP VIEW counting_hand_results;
DROP VIEW counting_bank_tests;
DROP TABLE trace_results;
DROP TABLE traces;
DROP TABLE hand_results;
DROP TABLE run_samples;
DROP TABLE bench_runs;
DROP TABLE hand_readings;
DROP TABLE hand_tests;
DROP TABLE bank_tests;

CREATE VIEW counting_tests AS SELECT t.*, coalesce(r.gave, '') AS gave FROM tests t LEFT JOIN test_results r ON
  r.test_id = t.id WHERE NOT EXISTS (SELECT 1 FROM strikes x WHERE x.kind = 'test' AND x.row_id = t.id) AND NOT EXISTS
  (SELECT 1 FROM tests y WHERE y.replaces = t.id AND NOT EXISTS
    (SELECT 1 FROM strikes z WHERE z.kind = 'test' AND z.row_id = y.id));
-- What people read while they made a test that counts. It is not what a device tells each second.
CREATE VIEW read_by_hand AS SELECT t.module_id, h.at, h.cells FROM tests t JOIN test_readings h ON h.test_id = t.id
  WHERE t.source = 'hand' AND NOT EXISTS (SELECT 1 FROM strikes x WHERE x.kind = 'test' AND x.row_id = t.id);
-- When charge was moved in a module. A log that was read again moved its charge when its file first came.
CREATE VIEW charge_moved AS
  SELECT t.module_id, CASE WHEN t.sha256 IS NULL THEN t.gave_at ELSE (SELECT min(y.gave_at) FROM tests y WHERE
    y.module_id = t.module_id AND y.sha256 = t.sha256) END AS at FROM counting_tests t
  WHERE t.module_id IS NOT NULL AND t.gave_at IS NOT NULL AND (t.source <> 'typed' OR
    json_extract(t.given, '$.charge_moved') = 1);
-- What was given of a test, and what was read of it, only grows; what it is at does not.
CREATE TRIGGER tests_no_update BEFORE UPDATE OF id, source, subject, subject_id, from_group, to_group, replaces, given,
  by, at, token, was ON tests BEGIN SELECT RAISE(ABORT, 'tests holds what was measured: it only grows'); END;
CREATE TRIGGER tests_no_other_file BEFORE UPDATE OF sha256, file_name ON tests WHEN old.sha256 IS NOT NULL BEGIN
  SELECT RAISE(ABORT, 'tests holds what was measured: it only grows'); END;
CREATE TRIGGER tests_no_delete BEFORE DELETE ON tests BEGIN
  SELECT RAISE(ABORT, 'tests holds what was measured: it only grows'); END;
CREATE TRIGGER strikes_no_update BEFORE UPDATE ON strikes BEGIN
  SELECT RAISE(ABORT, 'strikes holds what was measured: it only grows'); END;
