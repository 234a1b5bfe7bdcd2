-- A type that is closed, with a BMS of its own inside, and what that BMS's switch bears, volts; 0 not known.
ALTER TABLE module_types ADD COLUMN closed INTEGER NOT NULL DEFAULT 0;
ALTER TABLE module_types ADD COLUMN switch_volts REAL NOT NULL DEFAULT 0;
-- What was claimed of a lot is about that much, and not that much or better.
ALTER TABLE lots ADD COLUMN claim_about INTEGER NOT NULL DEFAULT 0;
