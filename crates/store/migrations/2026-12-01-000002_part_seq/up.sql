-- With which snapshot a part of the book was kept: parts newer than the snapshot would be folded twice.
ALTER TABLE book_parts ADD COLUMN seq BIGINT UNSIGNED NOT NULL DEFAULT 0;
