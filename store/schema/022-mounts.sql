-- How a module takes what is bolted to it and how its cells are held, as JSON of mount.Mount, empty for nothing known.
ALTER TABLE module_types ADD COLUMN mount TEXT NOT NULL DEFAULT '';
