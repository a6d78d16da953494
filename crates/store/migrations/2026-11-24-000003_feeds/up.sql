-- Wired-up origins of happenings. The previous secret stays good for a while after a rotation.
CREATE TABLE feeds (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    channel_id INT UNSIGNED NOT NULL,
    name VARCHAR(80) NOT NULL,
    kind VARCHAR(20) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    token VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    secret VARCHAR(100) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    previous_secret VARCHAR(100) CHARACTER SET ascii COLLATE ascii_bin NULL,
    previous_until_us BIGINT NULL,
    UNIQUE KEY feeds_token (token),
    KEY feeds_channel (channel_id),
    CONSTRAINT feeds_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
