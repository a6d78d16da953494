-- How a feed of each kind is wired: JSON of tally_store::feeds::Wiring. A removed feed keeps its
-- row, since lines of the ledger tell where they came from.
ALTER TABLE feeds
    ADD COLUMN wiring TEXT NULL,
    ADD COLUMN paused TINYINT UNSIGNED NOT NULL DEFAULT 0,
    ADD COLUMN removed TINYINT UNSIGNED NOT NULL DEFAULT 0;
