-- Which form made a design, so that it can be taken back within a minute.
ALTER TABLE banks ADD COLUMN design_token TEXT NOT NULL DEFAULT '';
