-- What counts of each kind of record, in one place: not struck out, and of a log that was read again the newest
-- reading. Whatever is computed asks these; the tables themselves are read only by what shows struck rows too.
CREATE VIEW counting_traces AS SELECT * FROM traces t WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'trace' AND x.row_id = t.id) AND NOT EXISTS
  (SELECT 1 FROM traces y WHERE y.replaces = t.id AND NOT EXISTS
    (SELECT 1 FROM strikes z WHERE z.kind = 'trace' AND z.row_id = y.id));
CREATE VIEW counting_hand_results AS SELECT * FROM hand_results s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'hand' AND x.row_id = s.id);
CREATE VIEW counting_probe_sets AS SELECT * FROM probe_sets s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'probes' AND x.row_id = s.id);
CREATE VIEW counting_module_checks AS SELECT * FROM module_checks s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'check' AND x.row_id = s.id);
CREATE VIEW counting_isolation_checks AS SELECT * FROM isolation_checks s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'isolation' AND x.row_id = s.id);
CREATE VIEW counting_teardown_records AS SELECT * FROM teardown_records s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'opening' AND x.row_id = s.id);
CREATE VIEW counting_step_records AS SELECT * FROM step_records s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'step' AND x.row_id = s.id);
CREATE VIEW counting_sense_checks AS SELECT * FROM sense_checks s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'sense' AND x.row_id = s.id);
CREATE VIEW counting_standing_surveys AS SELECT * FROM standing_surveys s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'standing-survey' AND x.row_id = s.id);
CREATE VIEW counting_bank_tests AS SELECT * FROM bank_tests s WHERE NOT EXISTS
  (SELECT 1 FROM strikes x WHERE x.kind = 'bank-test' AND x.row_id = s.id);
-- When charge was moved in a module. A log that was read again moved its charge when its file first came.
CREATE VIEW charge_moved AS
  SELECT t.module_id, (SELECT min(y.uploaded_at) FROM traces y WHERE y.module_id = t.module_id AND
    y.sha256 = t.sha256) AS at FROM counting_traces t
  UNION ALL SELECT module_id, taken_at FROM counting_hand_results WHERE charge_moved = 1;
-- Why a module must not stay in the bank that it is in, by what is on record now; '' where nothing speaks against it.
ALTER TABLE modules ADD COLUMN bank_doubt TEXT NOT NULL DEFAULT '';
-- What a form saved may be taken back; sent once more it is a new form, and not one that was saved already.
ALTER TABLE submissions ADD COLUMN undone INTEGER NOT NULL DEFAULT 0;
-- A change of a type judges its modules anew: what it was before, so that it can be taken back, and the grades that
-- fell by it, so that they come back with what they were given by.
ALTER TABLE module_types ADD COLUMN was TEXT NOT NULL DEFAULT '';
ALTER TABLE module_types ADD COLUMN change_token TEXT NOT NULL DEFAULT '';
ALTER TABLE modules ADD COLUMN class_was TEXT NOT NULL DEFAULT '';
ALTER TABLE modules ADD COLUMN fitness_was TEXT NOT NULL DEFAULT '';
