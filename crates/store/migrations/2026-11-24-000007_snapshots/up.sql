-- A channel's folded state after one entry: a shortcut for starting, never the truth.
CREATE TABLE snapshots (
    channel_id INT UNSIGNED NOT NULL PRIMARY KEY,
    seq BIGINT UNSIGNED NOT NULL,
    version INT UNSIGNED NOT NULL,
    body LONGTEXT NOT NULL,
    CONSTRAINT snapshots_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
