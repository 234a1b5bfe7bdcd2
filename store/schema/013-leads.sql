-- A lead is called so on every floor.
DROP TRIGGER IF EXISTS adapter_checks_no_update;
DROP TRIGGER IF EXISTS adapter_checks_no_delete;
DROP INDEX adapter_checks_adapter;
ALTER TABLE adapters RENAME TO leads;
ALTER TABLE adapter_checks RENAME TO lead_checks;
ALTER TABLE lead_checks RENAME COLUMN adapter_id TO lead_id;
CREATE INDEX lead_checks_lead ON lead_checks(lead_id);
