-- A sense check of a bank that is in service keeps counting: going into service raised the
-- version by one.
ALTER TABLE module_types ADD COLUMN discharge_a REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN peak_a REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN charge_a REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN charge_peak_a REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN full_volts REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN points_in_order INTEGER NOT NULL DEFAULT 0;
ALTER TABLE modules ADD COLUMN hold TEXT NOT NULL DEFAULT '';
ALTER TABLE modules ADD COLUMN hold_rules TEXT NOT NULL DEFAULT '';
ALTER TABLE modules ADD COLUMN layout_id INTEGER REFERENCES layouts(id);
ALTER TABLE modules ADD COLUMN history TEXT NOT NULL DEFAULT '';
ALTER TABLE modules ADD COLUMN history_note TEXT NOT NULL DEFAULT '';
UPDATE modules SET history = 'flood' WHERE flood_or_recall = 1;
ALTER TABLE survey_readings ADD COLUMN span INTEGER NOT NULL DEFAULT 1;
ALTER TABLE survey_readings ADD COLUMN reason TEXT NOT NULL DEFAULT '';
ALTER TABLE traces ADD COLUMN read_as TEXT NOT NULL DEFAULT '';
ALTER TABLE hand_results ADD COLUMN lowest_end_volts REAL NOT NULL DEFAULT 0;
ALTER TABLE hand_results ADD COLUMN from_full INTEGER NOT NULL DEFAULT 0;
ALTER TABLE hand_results ADD COLUMN charge_moved INTEGER NOT NULL DEFAULT 1;
ALTER TABLE banks ADD COLUMN design_version INTEGER NOT NULL DEFAULT 0;
ALTER TABLE banks ADD COLUMN parts TEXT NOT NULL DEFAULT '';
UPDATE banks SET design_version = version - CASE WHEN station = 'keep' THEN 1 ELSE 0 END;
CREATE TABLE withdrawals (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id),
    survey_id INTEGER NOT NULL REFERENCES surveys(id), group_no INTEGER NOT NULL,
    second_id INTEGER NOT NULL REFERENCES surveys(id),
  reason TEXT NOT NULL, by TEXT NOT NULL, at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX withdrawals_module ON withdrawals(module_id);
CREATE TABLE bank_records (
  id INTEGER PRIMARY KEY, bank_id INTEGER NOT NULL REFERENCES banks(id), design_version INTEGER NOT NULL,
    step TEXT NOT NULL, done_by TEXT NOT NULL, done_at DATETIME NOT NULL,
  ok INTEGER NOT NULL, value REAL NOT NULL, reading TEXT NOT NULL, findings TEXT NOT NULL,
    override TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX bank_records_bank ON bank_records(bank_id);
CREATE INDEX modules_held ON modules(number) WHERE hold <> '';
