-- Which form made a design, so that it can be taken back within a minute.
ALTER TABLE banks ADD COLUMN design_token TEXT NOT NULL DEFAULT '';
-- A working that was kept with a bank: its inputs as they were, and what it said then.
CREATE TABLE kept_workings (
  id INTEGER PRIMARY KEY, bank_id INTEGER NOT NULL REFERENCES banks(id), working TEXT NOT NULL, inputs TEXT NOT NULL,
  says TEXT NOT NULL, level TEXT NOT NULL, by TEXT NOT NULL, at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX kept_workings_bank ON kept_workings(bank_id);
-- What stands on the bench, each time it was written down; the newest counts. Pins hold a waiting module to a channel.
CREATE TABLE bench_kits (
  id INTEGER PRIMARY KEY, kit TEXT NOT NULL, by TEXT NOT NULL, at DATETIME NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE TABLE bench_pins (
  module_id INTEGER PRIMARY KEY REFERENCES modules(id), channel TEXT NOT NULL
);
