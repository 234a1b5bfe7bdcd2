-- A module of which not every group was read: end to end, only some, or only how far apart they are.
CREATE TABLE module_reads (id INTEGER PRIMARY KEY AUTOINCREMENT,
  module_id INTEGER NOT NULL REFERENCES modules(id), taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL,
  instrument TEXT NOT NULL, accuracy_volts REAL NOT NULL, rest_minutes REAL NOT NULL, temp_c REAL,
  part TEXT NOT NULL, as_typed TEXT NOT NULL, token TEXT NOT NULL);
CREATE INDEX module_reads_module ON module_reads(module_id);
CREATE VIEW counting_module_reads AS SELECT * FROM module_reads s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'read' AND x.row_id = s.id);
