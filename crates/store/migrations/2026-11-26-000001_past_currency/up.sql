-- In which currency a widget was told before a change, so that taking the change back converts what was set.
ALTER TABLE widget_past ADD COLUMN currency CHAR(3) CHARACTER SET ascii COLLATE ascii_bin NULL;
