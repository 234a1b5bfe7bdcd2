-- A log of a part of a module, and a log that was read again with other settings: the older reading stays.
ALTER TABLE traces ADD COLUMN from_group INTEGER NOT NULL DEFAULT 0;
ALTER TABLE traces ADD COLUMN to_group INTEGER NOT NULL DEFAULT 0;
ALTER TABLE traces ADD COLUMN replaces INTEGER NOT NULL DEFAULT 0;
CREATE INDEX traces_replaces ON traces(replaces) WHERE replaces > 0;
-- The shop's own limits for its classes, each time they were changed; the newest counts.
CREATE TABLE grade_limits (
  id INTEGER PRIMARY KEY, class_a REAL NOT NULL, class_b REAL NOT NULL, class_c REAL NOT NULL,
  resistance_cap REAL NOT NULL, why TEXT NOT NULL, by TEXT NOT NULL, at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
-- Tests that a person makes with a plain charger, and what was read of them.
CREATE TABLE hand_tests (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), steps TEXT NOT NULL,
  at_step INTEGER NOT NULL, step_at DATETIME NOT NULL, from_group INTEGER NOT NULL, to_group INTEGER NOT NULL,
  state TEXT NOT NULL, by TEXT NOT NULL, started_at DATETIME NOT NULL, ended_at DATETIME, token TEXT NOT NULL UNIQUE
);
CREATE INDEX hand_tests_state ON hand_tests(state);
CREATE TABLE hand_readings (
  id INTEGER PRIMARY KEY, test_id INTEGER NOT NULL REFERENCES hand_tests(id), at_step INTEGER NOT NULL,
  seconds REAL NOT NULL, volts REAL NOT NULL, amps REAL NOT NULL, temp_c REAL, cells TEXT NOT NULL, by TEXT NOT NULL,
  at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX hand_readings_test ON hand_readings(test_id);
