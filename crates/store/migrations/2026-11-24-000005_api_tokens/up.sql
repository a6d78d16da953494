-- Bearer tokens for programs. Only the SHA-256 of a token is kept.
CREATE TABLE api_tokens (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    channel_id INT UNSIGNED NOT NULL,
    name VARCHAR(80) NOT NULL,
    digest BINARY(32) NOT NULL,
    scopes VARCHAR(200) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    UNIQUE KEY api_tokens_digest (digest),
    KEY api_tokens_channel (channel_id),
    CONSTRAINT api_tokens_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
