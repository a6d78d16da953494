-- Whether edits on the bench are on air at once, instead of being tried on the stage first.
ALTER TABLE channels ADD COLUMN edits_at_once TINYINT UNSIGNED NOT NULL DEFAULT 0;
