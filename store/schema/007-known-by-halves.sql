-- What is known of a module before it is tested, devices and banks that the workshop did not build, and what was struck
-- out as a mistake.
ALTER TABLE modules ADD COLUMN allowed TEXT NOT NULL DEFAULT '';
ALTER TABLE hand_results ADD COLUMN from_group INTEGER NOT NULL DEFAULT 0;
ALTER TABLE hand_results ADD COLUMN to_group INTEGER NOT NULL DEFAULT 0;
ALTER TABLE layouts ADD COLUMN declared TEXT NOT NULL DEFAULT '';
ALTER TABLE banks ADD COLUMN device TEXT NOT NULL DEFAULT '';
CREATE TABLE own_devices (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE COLLATE NOCASE, spec TEXT NOT NULL, note TEXT NOT NULL,
  version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE bank_tests (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, subject_id INTEGER NOT NULL, taken_by TEXT NOT NULL,
  taken_at DATETIME NOT NULL, test TEXT NOT NULL, findings TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX bank_tests_subject ON bank_tests(kind, subject_id);
CREATE TABLE standing_surveys (
  id INTEGER PRIMARY KEY, service_id INTEGER NOT NULL REFERENCES services(id), taken_by TEXT NOT NULL,
  taken_at DATETIME NOT NULL, instrument TEXT NOT NULL, accuracy_volts REAL NOT NULL, rest_minutes REAL NOT NULL,
  temp_c REAL, volts TEXT NOT NULL, result TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX standing_surveys_service ON standing_surveys(service_id);
ALTER TABLE services ADD COLUMN cells TEXT NOT NULL DEFAULT '';
CREATE TABLE strikes (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, row_id INTEGER NOT NULL, module_id INTEGER REFERENCES modules(id),
  reason TEXT NOT NULL, by TEXT NOT NULL, at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE UNIQUE INDEX strikes_row ON strikes(kind, row_id);
