ALTER TABLE channels DROP COLUMN looks;
