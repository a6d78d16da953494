-- Overlays. Every layout that one ever was is a step; `step` names the present one, and `air` is the layout on air.
CREATE TABLE overlays (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT,
    channel_id INT UNSIGNED NOT NULL,
    token VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    step INT UNSIGNED NOT NULL,
    air MEDIUMTEXT NOT NULL,
    PRIMARY KEY (id),
    UNIQUE KEY overlays_by_token (token),
    KEY overlays_by_channel (channel_id),
    CONSTRAINT overlays_of_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
) ENGINE = InnoDB;

CREATE TABLE overlay_steps (
    overlay_id INT UNSIGNED NOT NULL,
    step INT UNSIGNED NOT NULL,
    layout MEDIUMTEXT NOT NULL,
    PRIMARY KEY (overlay_id, step),
    CONSTRAINT overlay_steps_of_overlay FOREIGN KEY (overlay_id) REFERENCES overlays (id) ON DELETE CASCADE
) ENGINE = InnoDB;
