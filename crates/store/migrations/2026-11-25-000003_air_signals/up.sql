-- The names of the signals that put the channel on air and take it off; empty for by hand only.
ALTER TABLE channels
    ADD COLUMN on_air_signal VARCHAR(80) NOT NULL DEFAULT '',
    ADD COLUMN off_air_signal VARCHAR(80) NOT NULL DEFAULT '';
