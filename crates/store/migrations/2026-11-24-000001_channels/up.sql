-- A channel: whose happenings are recorded, and how it reckons days and money.
CREATE TABLE channels (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(200) NOT NULL,
    zone VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    currency CHAR(3) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    day_start_minute SMALLINT UNSIGNED NOT NULL,
    weight_1 SMALLINT UNSIGNED NOT NULL DEFAULT 1,
    weight_2 SMALLINT UNSIGNED NOT NULL DEFAULT 2,
    weight_3 SMALLINT UNSIGNED NOT NULL DEFAULT 5
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
