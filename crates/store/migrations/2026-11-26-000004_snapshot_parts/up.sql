-- A snapshot in parts: whole, that of a large channel would not fit into one packet.
CREATE TABLE snapshot_parts (
    channel_id INT UNSIGNED NOT NULL,
    part INT UNSIGNED NOT NULL,
    body MEDIUMBLOB NOT NULL,
    PRIMARY KEY (channel_id, part),
    CONSTRAINT snapshot_parts_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
