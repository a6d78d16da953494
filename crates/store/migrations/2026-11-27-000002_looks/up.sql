-- The looks of the streamer's own, and whether it is night, as JSON.
ALTER TABLE channels ADD COLUMN looks MEDIUMTEXT NOT NULL DEFAULT '{}';
