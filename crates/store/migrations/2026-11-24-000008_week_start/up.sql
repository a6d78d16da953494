-- On which day a channel's week begins: 0 for Monday to 6 for Sunday.
ALTER TABLE channels ADD COLUMN week_start TINYINT UNSIGNED NOT NULL DEFAULT 0;
