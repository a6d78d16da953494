-- How a widget looks (JSON of tally_core::look::Look), what is tried on the stage and not yet on air
-- (JSON of tally_core::widgets::Setup), and whether it lies in the archive.
ALTER TABLE widgets
    ADD COLUMN look TEXT NOT NULL DEFAULT '{}',
    ADD COLUMN draft TEXT NULL,
    ADD COLUMN archived TINYINT UNSIGNED NOT NULL DEFAULT 0;
