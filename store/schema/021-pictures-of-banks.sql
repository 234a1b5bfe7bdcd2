-- A picture of a bank, pinned to its drawing or laid under it.
ALTER TABLE pictures ADD COLUMN bank_id INTEGER REFERENCES banks(id);
CREATE INDEX pictures_bank ON pictures(bank_id) WHERE bank_id IS NOT NULL;
