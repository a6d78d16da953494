ALTER TABLE presence DROP COLUMN holder;
