-- Of levels that are read often, the extremes and the last of each stretch of so many seconds are recorded.
ALTER TABLE channels ADD COLUMN level_gap_s SMALLINT UNSIGNED NOT NULL DEFAULT 60 AFTER edits_at_once;
