-- What a widget was before each of the newest changes, so that any can be taken back: the setup on
-- air, the draft, and what the change was.
CREATE TABLE widget_past (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    widget_id INT UNSIGNED NOT NULL,
    setup TEXT NOT NULL,
    draft TEXT NULL,
    words VARCHAR(200) NOT NULL,
    KEY widget_past_widget (widget_id, id),
    CONSTRAINT widget_past_widget FOREIGN KEY (widget_id) REFERENCES widgets (id) ON DELETE CASCADE
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
