-- In which currency the channel told its money before, so that the change can be taken back.
ALTER TABLE channels ADD COLUMN currency_before CHAR(3) CHARACTER SET ascii COLLATE ascii_bin NULL;
