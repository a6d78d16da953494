-- Who can sign in. Raising session_epoch signs a user out everywhere.
CREATE TABLE users (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    channel_id INT UNSIGNED NOT NULL,
    name VARCHAR(80) NOT NULL,
    password_hash VARCHAR(255) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    session_epoch INT UNSIGNED NOT NULL DEFAULT 0,
    UNIQUE KEY users_name (name),
    KEY users_channel (channel_id),
    CONSTRAINT users_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_unicode_ci;
