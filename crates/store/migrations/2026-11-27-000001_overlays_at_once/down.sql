ALTER TABLE overlays DROP COLUMN at_once;
