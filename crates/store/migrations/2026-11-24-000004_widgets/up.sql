-- Live graphics: a definition (JSON of tally_core::widgets::Definition) and the token of their page.
CREATE TABLE widgets (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    channel_id INT UNSIGNED NOT NULL,
    definition TEXT NOT NULL,
    page_token VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    UNIQUE KEY widgets_page_token (page_token),
    KEY widgets_channel (channel_id),
    CONSTRAINT widgets_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
