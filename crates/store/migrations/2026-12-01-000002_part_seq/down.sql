ALTER TABLE book_parts DROP COLUMN seq;
