-- The name of the text file in which what the widget shows is kept, as a pattern; none for none.
ALTER TABLE widgets ADD COLUMN text_file VARCHAR(200) NULL;
