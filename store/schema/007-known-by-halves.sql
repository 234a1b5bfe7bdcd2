-- What is known of a module before it is tested, devices and banks that the workshop did not build, and what was struck
-- out as a mistake.
-- A declared layout has no readings behind it. Taking a NOT NULL away changes nothing on disk, so that the table
-- need not be made anew under the references to it.
PRAGMA writable_schema = ON;
UPDATE sqlite_schema SET sql = replace(sql, 'set_id INTEGER NOT NULL REFERENCES', 'set_id INTEGER REFERENCES')
  WHERE type = 'table' AND name = 'layouts';
PRAGMA writable_schema = RESET;
ALTER TABLE module_types ADD COLUMN posts_joined INTEGER NOT NULL DEFAULT 0;
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
-- What counts of what was recorded: all but what was struck out.
CREATE VIEW counting_surveys AS SELECT * FROM surveys s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'survey' AND x.row_id = s.id);
CREATE VIEW counting_inspections AS SELECT * FROM inspections s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'look' AND x.row_id = s.id);
-- What never had a measurement may be taken off the record: its lines of the log stay, and lose the link to it.
DROP TRIGGER IF EXISTS events_no_update;
CREATE TRIGGER events_no_update BEFORE UPDATE ON events WHEN NOT (NEW.id = OLD.id AND NEW.at = OLD.at AND
  NEW.who = OLD.who AND NEW.kind = OLD.kind AND NEW.text = OLD.text AND
  (NEW.module_id IS OLD.module_id OR NEW.module_id IS NULL) AND (NEW.bank_id IS OLD.bank_id OR NEW.bank_id IS NULL)
  AND (NEW.lot_id IS OLD.lot_id OR NEW.lot_id IS NULL) AND (NEW.type_id IS OLD.type_id OR NEW.type_id IS NULL))
  BEGIN SELECT RAISE(ABORT, 'events holds what was measured: it only grows'); END;
