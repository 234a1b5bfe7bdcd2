CREATE TABLE module_checks (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id),
    layout_id INTEGER NOT NULL REFERENCES layouts(id), taken_by TEXT NOT NULL, taken_at DATETIME NOT NULL,
  readings TEXT NOT NULL, findings TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX module_checks_module ON module_checks(module_id);
CREATE TABLE isolation_checks (
  id INTEGER PRIMARY KEY, module_id INTEGER NOT NULL REFERENCES modules(id), taken_by TEXT NOT NULL,
    taken_at DATETIME NOT NULL,
  readings TEXT NOT NULL, verdict TEXT NOT NULL, findings TEXT NOT NULL, token TEXT NOT NULL UNIQUE
);
CREATE INDEX isolation_checks_module ON isolation_checks(module_id);
