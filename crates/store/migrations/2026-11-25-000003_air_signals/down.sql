ALTER TABLE channels DROP COLUMN on_air_signal, DROP COLUMN off_air_signal;
