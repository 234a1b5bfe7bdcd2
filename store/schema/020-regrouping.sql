-- A module that is cut or has its links moved: the way that is worked now, empty for none, how often one was begun, and
-- the modules that it became. A module that came of another knows it, and what it is made of.
ALTER TABLE modules ADD COLUMN regroup TEXT NOT NULL DEFAULT '';
ALTER TABLE modules ADD COLUMN regroup_round INTEGER NOT NULL DEFAULT 0;
ALTER TABLE modules ADD COLUMN became TEXT NOT NULL DEFAULT '';
ALTER TABLE modules ADD COLUMN parent_id INTEGER REFERENCES modules(id);
ALTER TABLE modules ADD COLUMN parent_share REAL NOT NULL DEFAULT 0; -- what a group carries of one of the old module
ALTER TABLE modules ADD COLUMN made_of TEXT NOT NULL DEFAULT '';
CREATE INDEX modules_parent ON modules(parent_id) WHERE parent_id IS NOT NULL;
