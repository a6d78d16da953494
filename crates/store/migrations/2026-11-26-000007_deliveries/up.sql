-- Messages of feeds whose rules are being made, or that no rule fits. Kept for a day.
CREATE TABLE deliveries (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    feed_id INT UNSIGNED NOT NULL,
    arrived_us BIGINT NOT NULL,
    digest BINARY(32) NOT NULL,
    document MEDIUMTEXT NOT NULL,
    UNIQUE KEY deliveries_once (feed_id, digest),
    KEY deliveries_by_age (arrived_us),
    CONSTRAINT deliveries_of_feed FOREIGN KEY (feed_id) REFERENCES feeds (id)
) ENGINE = InnoDB;
