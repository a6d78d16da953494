ALTER TABLE channels DROP COLUMN level_gap_s;
