-- A streamer's own videos (seen) and sounds for what is celebrated, cleaned when they were taken in.
CREATE TABLE clips (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    channel_id INT UNSIGNED NOT NULL,
    token VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    seen TINYINT UNSIGNED NOT NULL,
    name VARCHAR(80) NOT NULL,
    milliseconds INT UNSIGNED NOT NULL,
    bytes MEDIUMBLOB NOT NULL,
    UNIQUE KEY clips_token (token),
    KEY clips_channel (channel_id, id),
    CONSTRAINT clips_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
