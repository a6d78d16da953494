ALTER TABLE widget_past DROP COLUMN currency;
