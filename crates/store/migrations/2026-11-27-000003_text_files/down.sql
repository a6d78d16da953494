ALTER TABLE widgets DROP COLUMN text_file;
