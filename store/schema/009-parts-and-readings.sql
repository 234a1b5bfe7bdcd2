-- A log of a part of a module, and a log that was read again with other settings: the older reading stays.
ALTER TABLE traces ADD COLUMN from_group INTEGER NOT NULL DEFAULT 0;
ALTER TABLE traces ADD COLUMN to_group INTEGER NOT NULL DEFAULT 0;
ALTER TABLE traces ADD COLUMN replaces INTEGER NOT NULL DEFAULT 0;
CREATE INDEX traces_replaces ON traces(replaces) WHERE replaces > 0;
