ALTER TABLE lots ADD COLUMN pallets INTEGER NOT NULL DEFAULT 0;
ALTER TABLE lots ADD COLUMN pallet_freight REAL NOT NULL DEFAULT 0;
ALTER TABLE lots ADD COLUMN pallet_holds INTEGER NOT NULL DEFAULT 0;
ALTER TABLE lots ADD COLUMN claims TEXT NOT NULL DEFAULT '';
ALTER TABLE lots ADD COLUMN claimed_soh_pct REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN face TEXT NOT NULL DEFAULT '';
ALTER TABLE module_types ADD COLUMN curve TEXT NOT NULL DEFAULT '';
ALTER TABLE module_types ADD COLUMN thickness_mm REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN looks TEXT NOT NULL DEFAULT '';
ALTER TABLE module_types ADD COLUMN inside TEXT NOT NULL DEFAULT '';
ALTER TABLE inspections ADD COLUMN thickness_mm REAL NOT NULL DEFAULT 0;
ALTER TABLE inspections ADD COLUMN findings TEXT NOT NULL DEFAULT '';
CREATE TABLE pictures (
  id INTEGER PRIMARY KEY, kind TEXT NOT NULL, module_id INTEGER REFERENCES modules(id),
    type_id INTEGER REFERENCES module_types(id), inspection_id INTEGER REFERENCES inspections(id),
  caption TEXT NOT NULL, sha256 TEXT NOT NULL REFERENCES blobs(sha256), original_sha256 TEXT NOT NULL,
    width INTEGER NOT NULL, height INTEGER NOT NULL,
  taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX pictures_module ON pictures(module_id);
CREATE INDEX pictures_type ON pictures(type_id);
CREATE INDEX pictures_original ON pictures(original_sha256);
ALTER TABLE surveys ADD COLUMN picture_id INTEGER REFERENCES pictures(id);
CREATE TABLE teardowns (
  id INTEGER PRIMARY KEY, type_id INTEGER NOT NULL REFERENCES module_types(id), steps TEXT NOT NULL,
    written_by TEXT NOT NULL, written_at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX teardowns_type ON teardowns(type_id);
CREATE TABLE teardown_records (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id),
    teardown_id INTEGER NOT NULL REFERENCES teardowns(id), step TEXT NOT NULL, way TEXT NOT NULL,
  fasteners INTEGER NOT NULL, parts INTEGER NOT NULL, done_by TEXT NOT NULL, done_at DATETIME NOT NULL,
    token TEXT NOT NULL UNIQUE
);
CREATE INDEX teardown_records_module ON teardown_records(module_id);
CREATE TABLE services (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE COLLATE NOCASE, owner TEXT NOT NULL, bank TEXT NOT NULL,
    note TEXT NOT NULL, version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE service_records (
  id INTEGER PRIMARY KEY, service_id INTEGER NOT NULL REFERENCES services(id), step TEXT NOT NULL,
    done_by TEXT NOT NULL, done_at DATETIME NOT NULL,
  ok INTEGER NOT NULL, value REAL NOT NULL, reading TEXT NOT NULL, findings TEXT NOT NULL,
    override TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX service_records_service ON service_records(service_id);
CREATE TABLE adapters (
  id INTEGER PRIMARY KEY, name TEXT NOT NULL UNIQUE COLLATE NOCASE,
    type_id INTEGER NOT NULL REFERENCES module_types(id), spec TEXT NOT NULL, note TEXT NOT NULL,
    version INTEGER NOT NULL DEFAULT 1, created_at DATETIME NOT NULL
);
CREATE TABLE adapter_checks (
  id INTEGER PRIMARY KEY, adapter_id INTEGER NOT NULL REFERENCES adapters(id), spec TEXT NOT NULL,
    kind TEXT NOT NULL, module_id INTEGER REFERENCES modules(id), readings TEXT NOT NULL,
    ok INTEGER NOT NULL, findings TEXT NOT NULL,
  taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX adapter_checks_adapter ON adapter_checks(adapter_id);
