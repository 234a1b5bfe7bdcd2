-- A bank is one thing, wherever it comes from: built here from modules, standing as somebody else built it, a pack on
-- its way apart. Those of other origins get numbers behind the banks that were built here; the addresses of their rows,
-- as they were printed, stand in 'was'.
ALTER TABLE banks ADD COLUMN origin TEXT NOT NULL DEFAULT 'built';
ALTER TABLE banks ADD COLUMN lot_id INTEGER REFERENCES lots(id);
ALTER TABLE banks ADD COLUMN opened TEXT NOT NULL DEFAULT '';
ALTER TABLE banks ADD COLUMN cells TEXT NOT NULL DEFAULT '';
ALTER TABLE banks ADD COLUMN pack TEXT NOT NULL DEFAULT '';
ALTER TABLE banks ADD COLUMN note TEXT NOT NULL DEFAULT '';
ALTER TABLE banks ADD COLUMN was TEXT NOT NULL DEFAULT '';
CREATE INDEX banks_was ON banks(was) WHERE was <> '';
INSERT INTO banks (name, client, need, bms, station, station_since, version, created_at, origin, opened, cells, note,
    was)
  SELECT name || CASE WHEN EXISTS (SELECT 1 FROM banks b WHERE b.name = services.name COLLATE NOCASE) THEN ' (standing)'
    ELSE '' END, owner, '', '', '', created_at, version, created_at, 'standing', bank, cells, note, 'services-' || id
  FROM services ORDER BY id;
INSERT INTO banks (name, client, need, bms, station, station_since, version, created_at, origin, lot_id, pack, note,
    was)
  SELECT name || CASE WHEN EXISTS (SELECT 1 FROM banks b WHERE b.name = packs.name COLLATE NOCASE) THEN ' (pack)'
    ELSE '' END, '', '', '', '', created_at, version, created_at, 'pack', lot_id, pack, note, 'packs-' || id FROM packs
  ORDER BY id;
UPDATE banks SET need = json_set(need, '$.Beside.ID', (SELECT x.id FROM banks x WHERE x.was = 'services-' ||
  json_extract(nullif(banks.need, ''), '$.Beside.ID'))) WHERE origin = 'built' AND need <> '' AND
  json_extract(nullif(need, ''), '$.Beside.ID') IS NOT NULL;
UPDATE banks SET design = json_set(design, '$.Need.Beside.ID', (SELECT x.id FROM banks x WHERE x.was = 'services-' ||
  json_extract(nullif(banks.design, ''), '$.Need.Beside.ID'))) WHERE origin = 'built' AND design <> '' AND
  json_extract(nullif(design, ''), '$.Need.Beside.ID') IS NOT NULL;

-- The group voltages of a whole bank in one sitting.
CREATE TABLE bank_surveys (
  id INTEGER PRIMARY KEY, bank_id INTEGER NOT NULL REFERENCES banks(id), taken_by TEXT NOT NULL,
  taken_at DATETIME NOT NULL, instrument TEXT NOT NULL, accuracy_volts REAL NOT NULL, rest_minutes REAL NOT NULL,
  temp_c REAL, volts TEXT NOT NULL, result TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX bank_surveys_bank ON bank_surveys(bank_id);
INSERT INTO bank_surveys SELECT s.id, b.id, s.taken_by, s.taken_at, s.instrument, s.accuracy_volts, s.rest_minutes,
  s.temp_c, s.volts, s.result, s.token FROM standing_surveys s JOIN banks b ON b.was = 'services-' || s.service_id;
DROP VIEW counting_standing_surveys;
DROP TABLE standing_surveys;

-- Steps, tests and what was taken back follow their bank.
DROP TRIGGER IF EXISTS step_records_no_update;
UPDATE step_records SET subject_id = coalesce((SELECT id FROM banks WHERE was = CASE kind WHEN 'pack' THEN 'packs-' ELSE
  'services-' END || subject_id), -subject_id) WHERE kind IN ('pack', 'standing');
DROP TRIGGER tests_no_update;
UPDATE tests SET subject = 'bank', subject_id = coalesce((SELECT id FROM banks WHERE was = 'services-' || subject_id),
  -subject_id) WHERE subject = 'standing';
DROP TRIGGER strikes_no_update;
UPDATE strikes SET kind = 'bank-survey' WHERE kind = 'standing-survey';
DROP TABLE services;
DROP TABLE packs;

CREATE VIEW counting_bank_surveys AS SELECT * FROM bank_surveys s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'bank-survey' AND x.row_id = s.id);
CREATE TRIGGER step_records_no_update BEFORE UPDATE ON step_records BEGIN
  SELECT RAISE(ABORT, 'step_records holds what was measured: it only grows'); END;
CREATE TRIGGER tests_no_update BEFORE UPDATE OF id, source, subject, subject_id, from_group, to_group, replaces, given,
  by, at, token, was ON tests BEGIN SELECT RAISE(ABORT, 'tests holds what was measured: it only grows'); END;
CREATE TRIGGER strikes_no_update BEFORE UPDATE ON strikes BEGIN
  SELECT RAISE(ABORT, 'strikes holds what was measured: it only grows'); END;
