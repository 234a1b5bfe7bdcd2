CREATE TABLE lots (
  id INTEGER PRIMARY KEY, supplier TEXT NOT NULL, arrived_on TEXT NOT NULL, price REAL NOT NULL,
    freight REAL NOT NULL,
  currency TEXT NOT NULL, note TEXT NOT NULL, version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE module_types (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, chemistry TEXT NOT NULL, rated_ah REAL NOT NULL,
    plate_series INTEGER NOT NULL,
  plate_volts REAL NOT NULL, posts TEXT NOT NULL, pins TEXT NOT NULL, cells_parallel INTEGER NOT NULL,
    parallel_how TEXT NOT NULL, tabs_seen INTEGER NOT NULL DEFAULT 0, cell_ah REAL NOT NULL DEFAULT 0,
    module_kg REAL NOT NULL DEFAULT 0, cell_kg REAL NOT NULL DEFAULT 0,
  note TEXT NOT NULL, layout_id INTEGER REFERENCES layouts(id), version INTEGER NOT NULL DEFAULT 1,
    created_at DATETIME NOT NULL
);
CREATE TABLE modules (
  id INTEGER PRIMARY KEY, number TEXT NOT NULL UNIQUE COLLATE NOCASE,
    lot_id INTEGER NOT NULL REFERENCES lots(id), type_id INTEGER NOT NULL REFERENCES module_types(id),
  plate_ah REAL NOT NULL, plate_note TEXT NOT NULL, flood_or_recall INTEGER NOT NULL DEFAULT 0,
    station TEXT NOT NULL, station_since DATETIME NOT NULL,
  quarantined INTEGER NOT NULL DEFAULT 0, quarantine_why TEXT NOT NULL DEFAULT '',
    ever_below_never INTEGER NOT NULL DEFAULT 0,
  verdict TEXT NOT NULL DEFAULT '', capacity_ah REAL NOT NULL DEFAULT 0,
    resistance_mohm REAL NOT NULL DEFAULT 0,
  class TEXT NOT NULL DEFAULT '', fitness TEXT NOT NULL DEFAULT '', bank_id INTEGER REFERENCES banks(id),
    version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE INDEX modules_waiting ON modules(station, station_since, number) WHERE quarantined = 0;
CREATE INDEX modules_quarantined ON modules(number) WHERE quarantined = 1;
CREATE INDEX modules_verdict ON modules(verdict, number);
CREATE INDEX modules_fitness ON modules(fitness, station);
CREATE INDEX modules_type ON modules(type_id, fitness);
CREATE INDEX modules_lot ON modules(lot_id);
CREATE INDEX modules_bank ON modules(bank_id);
CREATE TABLE probe_sets (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), taken_by TEXT NOT NULL,
    taken_at DATETIME NOT NULL,
  instrument TEXT NOT NULL, source TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX probe_sets_module ON probe_sets(module_id);
CREATE TABLE probe_readings (
  set_id INTEGER NOT NULL REFERENCES probe_sets(id), line INTEGER NOT NULL, red TEXT NOT NULL,
    black TEXT NOT NULL, volts REAL NOT NULL,
  last_digit REAL NOT NULL, accuracy_volts REAL NOT NULL, PRIMARY KEY (set_id, line)
);
CREATE TABLE layouts (
  id INTEGER PRIMARY KEY, type_id INTEGER NOT NULL REFERENCES module_types(id),
    set_id INTEGER NOT NULL REFERENCES probe_sets(id),
  map TEXT NOT NULL, rules_version TEXT NOT NULL, accepted_by TEXT NOT NULL, accepted_at DATETIME NOT NULL
);
CREATE TABLE inspections (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), seen_by TEXT NOT NULL,
    seen_at DATETIME NOT NULL,
  signs TEXT NOT NULL, outcome TEXT NOT NULL, note TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX inspections_module ON inspections(module_id);
CREATE TABLE surveys (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), taken_by TEXT NOT NULL,
    taken_at DATETIME NOT NULL,
  instrument TEXT NOT NULL, accuracy_volts REAL NOT NULL, rest_minutes REAL NOT NULL, temp_c REAL,
    corrects_id INTEGER REFERENCES surveys(id), token TEXT NOT NULL UNIQUE
);
CREATE INDEX surveys_module ON surveys(module_id, taken_at);
CREATE TABLE survey_readings (
  survey_id INTEGER NOT NULL REFERENCES surveys(id), group_no INTEGER NOT NULL, volts REAL NOT NULL,
    as_typed TEXT NOT NULL, PRIMARY KEY (survey_id, group_no)
);
CREATE TABLE survey_results (
  survey_id INTEGER PRIMARY KEY REFERENCES surveys(id), rules_version TEXT NOT NULL, verdict TEXT NOT NULL,
    result TEXT NOT NULL
);
CREATE TABLE blobs (
  sha256 TEXT PRIMARY KEY, size INTEGER NOT NULL, gzip BLOB NOT NULL
);
CREATE TABLE traces (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), file_name TEXT NOT NULL,
    sha256 TEXT NOT NULL REFERENCES blobs(sha256),
  taken_by TEXT NOT NULL, uploaded_at DATETIME NOT NULL, flip_current INTEGER NOT NULL,
    floor_volts REAL NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX traces_module ON traces(module_id);
CREATE TABLE trace_results (
  trace_id INTEGER PRIMARY KEY REFERENCES traces(id), rules_version TEXT NOT NULL, result TEXT NOT NULL,
    thin TEXT NOT NULL
);
CREATE TABLE hand_results (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), taken_by TEXT NOT NULL,
    taken_at DATETIME NOT NULL, capacity_ah REAL NOT NULL,
  energy_wh REAL NOT NULL, resistance_mohm REAL NOT NULL, amps REAL NOT NULL, temp_c REAL,
    end_volts REAL NOT NULL, note TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX hand_results_module ON hand_results(module_id);
CREATE TABLE gradings (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), graded_by TEXT NOT NULL,
    graded_at DATETIME NOT NULL,
  rules_version TEXT NOT NULL, class TEXT NOT NULL, fitness TEXT NOT NULL, grade TEXT NOT NULL
);
CREATE INDEX gradings_module ON gradings(module_id);
CREATE TABLE banks (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE, client TEXT NOT NULL, need TEXT NOT NULL,
    design TEXT NOT NULL DEFAULT '', rules_version TEXT NOT NULL DEFAULT '',
  bms TEXT NOT NULL DEFAULT '', station TEXT NOT NULL, station_since DATETIME NOT NULL,
    version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE sense_checks (
  id INTEGER PRIMARY KEY, bank_id INTEGER NOT NULL REFERENCES banks(id), taken_by TEXT NOT NULL,
    taken_at DATETIME NOT NULL, bms TEXT NOT NULL,
  instrument TEXT NOT NULL, design_version INTEGER NOT NULL, verdict TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX sense_checks_bank ON sense_checks(bank_id);
CREATE TABLE sense_readings (
  check_id INTEGER NOT NULL REFERENCES sense_checks(id), input INTEGER NOT NULL, volts REAL NOT NULL,
    as_typed TEXT NOT NULL, PRIMARY KEY (check_id, input)
);
CREATE TABLE events (
  id INTEGER PRIMARY KEY, at DATETIME NOT NULL, who TEXT NOT NULL, kind TEXT NOT NULL,
    module_id INTEGER REFERENCES modules(id), bank_id INTEGER REFERENCES banks(id),
  lot_id INTEGER REFERENCES lots(id), type_id INTEGER REFERENCES module_types(id), text TEXT NOT NULL
);
CREATE INDEX events_module ON events(module_id, at);
CREATE INDEX events_bank ON events(bank_id, at);
CREATE INDEX events_at ON events(at);
CREATE TABLE submissions (
  token TEXT PRIMARY KEY, at DATETIME NOT NULL, path TEXT NOT NULL
);
