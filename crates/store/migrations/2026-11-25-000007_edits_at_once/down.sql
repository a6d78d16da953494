ALTER TABLE channels DROP COLUMN edits_at_once;
