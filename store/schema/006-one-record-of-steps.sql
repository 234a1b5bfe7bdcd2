-- One record of steps with gates, whatever they are the steps of. What was recorded before goes along, in its
-- order; the old tables only grow, so they are dropped whole once all of it is in the new one.
CREATE TABLE step_records (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, subject_id INTEGER NOT NULL, version INTEGER NOT NULL DEFAULT 0,
  step TEXT NOT NULL, done_by TEXT NOT NULL, done_at DATETIME NOT NULL, ok INTEGER NOT NULL, value REAL NOT NULL,
  reading TEXT NOT NULL, findings TEXT NOT NULL, override TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX step_records_subject ON step_records(kind, subject_id);
INSERT INTO step_records
  (kind, subject_id, version, step, done_by, done_at, ok, value, reading, findings, override, token)
  SELECT 'pack', pack_id, 0, step, done_by, done_at, ok, 0, reading, findings, override,
    'pack:' || token
  FROM pack_records ORDER BY id;
INSERT INTO step_records
  (kind, subject_id, version, step, done_by, done_at, ok, value, reading, findings, override, token)
  SELECT 'standing', service_id, 0, step, done_by, done_at, ok, value, reading, findings, override,
    'standing:' || token
  FROM service_records ORDER BY id;
INSERT INTO step_records
  (kind, subject_id, version, step, done_by, done_at, ok, value, reading, findings, override, token)
  SELECT 'bank', bank_id, design_version, step, done_by, done_at, ok, value, reading, findings, override,
    'bank:' || token
  FROM bank_records ORDER BY id;
DROP TABLE pack_records;
DROP TABLE service_records;
DROP TABLE bank_records;
