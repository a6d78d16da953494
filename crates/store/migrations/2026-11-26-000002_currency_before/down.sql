ALTER TABLE channels DROP COLUMN currency_before;
