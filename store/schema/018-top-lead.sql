-- What the top lead read against the end of lead 0, volts, null where it was not read, and the meter's accuracy, volts,
-- 0 not known: both were judged by and not kept.
ALTER TABLE sense_checks ADD COLUMN top_volts REAL;
ALTER TABLE sense_checks ADD COLUMN accuracy_volts REAL NOT NULL DEFAULT 0;
