ALTER TABLE channels DROP COLUMN week_start;
