-- The book, kept in parts so that a start need not read the whole ledger: a shortcut like the
-- snapshot beside it, never the truth. `day` counts UTC days since 1970; `body` is postcard of
-- tally_core::book::Fact, a few thousand to a part.
CREATE TABLE book_parts (
    channel_id INT UNSIGNED NOT NULL,
    day BIGINT NOT NULL,
    part INT UNSIGNED NOT NULL,
    body MEDIUMBLOB NOT NULL,
    PRIMARY KEY (channel_id, day, part),
    CONSTRAINT book_parts_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
