-- The size of a module as its face is drawn, across, down and high, millimetres, 0 not known; and its thread, as
-- somebody wrote it.
ALTER TABLE module_types ADD COLUMN width_mm REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN depth_mm REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN height_mm REAL NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN thread TEXT NOT NULL DEFAULT '';
-- A bank as it is drawn: each change is a row of its own that says what it came from, so that none is ever lost. A row
-- without one is where a drawing began.
CREATE TABLE drawings (
    id INTEGER PRIMARY KEY,
    bank_id INTEGER NOT NULL REFERENCES banks(id),
    after_id INTEGER REFERENCES drawings(id),
    body TEXT NOT NULL,
    said TEXT NOT NULL,
    drawn_by TEXT NOT NULL,
    drawn_at DATETIME NOT NULL,
    token TEXT NOT NULL DEFAULT ''
);
CREATE INDEX drawings_bank ON drawings(bank_id, id);
CREATE INDEX drawings_after ON drawings(after_id);
-- The drawing that is shown of a bank, and the one that it is built by, NULL for none.
ALTER TABLE banks ADD COLUMN drawing_id INTEGER REFERENCES drawings(id);
ALTER TABLE banks ADD COLUMN built_by_id INTEGER REFERENCES drawings(id);
