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
-- Tests that run on a cycler, and what was read of them. A step is begun on the device before its number stands here.
CREATE TABLE bench_runs (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), channel INTEGER NOT NULL,
  steps TEXT NOT NULL, at_step INTEGER NOT NULL, base_seconds REAL NOT NULL, state TEXT NOT NULL,
  trouble TEXT NOT NULL, findings TEXT NOT NULL, by TEXT NOT NULL, started_at DATETIME NOT NULL, ended_at DATETIME,
  token TEXT NOT NULL UNIQUE
);
CREATE INDEX bench_runs_state ON bench_runs(state);
CREATE TABLE run_samples (
  id INTEGER PRIMARY KEY, run_id INTEGER NOT NULL REFERENCES bench_runs(id), at_step INTEGER NOT NULL,
  seconds REAL NOT NULL, volts REAL NOT NULL, amps REAL NOT NULL, temp_c REAL NOT NULL, ah REAL NOT NULL,
  cells TEXT NOT NULL, at DATETIME NOT NULL
);
CREATE INDEX run_samples_run ON run_samples(run_id);
