-- A bank of which not every group was read: end to end, some, or only how far apart they are.
ALTER TABLE bank_surveys ADD COLUMN part TEXT NOT NULL DEFAULT '';
-- A label may say watt hours and no amp hours: what it says is kept beside what follows from it.
ALTER TABLE module_types ADD COLUMN rated_wh REAL NOT NULL DEFAULT 0;
