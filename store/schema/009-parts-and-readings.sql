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
