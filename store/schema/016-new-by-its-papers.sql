-- What arrived is new, and its maker's papers say what it holds.
ALTER TABLE lots ADD COLUMN papers INTEGER NOT NULL DEFAULT 0;
