-- Helpers' passes. The link and the words are kept as digests: whoever reads this table can open none.
CREATE TABLE passes (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT,
    channel_id INT UNSIGNED NOT NULL,
    name VARCHAR(80) NOT NULL,
    allows TEXT NOT NULL,
    ends_us BIGINT NULL,
    most_devices INT UNSIGNED NOT NULL,
    most_uses INT UNSIGNED NULL,
    link BINARY(32) NOT NULL,
    words BINARY(32) NULL,
    words_until_us BIGINT NOT NULL,
    made_us BIGINT NOT NULL,
    revoked_us BIGINT NULL,
    PRIMARY KEY (id),
    UNIQUE KEY passes_by_link (link),
    UNIQUE KEY passes_by_words (words),
    KEY passes_by_channel (channel_id),
    CONSTRAINT passes_of_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
) ENGINE = InnoDB;

-- Who has opened a pass: the browsers that hold it.
CREATE TABLE pass_devices (
    device BINARY(32) NOT NULL,
    pass_id INT UNSIGNED NOT NULL,
    opened_us BIGINT NOT NULL,
    PRIMARY KEY (device),
    KEY pass_devices_by_pass (pass_id),
    CONSTRAINT pass_devices_of_pass FOREIGN KEY (pass_id) REFERENCES passes (id) ON DELETE CASCADE
) ENGINE = InnoDB;

-- What was done with a pass, press by press (the digest of its number): a press that is sent twice is one. `line` is its place in the ledger,
-- once it is there.
CREATE TABLE pass_uses (
    pass_id INT UNSIGNED NOT NULL,
    press BINARY(32) NOT NULL,
    used_us BIGINT NOT NULL,
    line BIGINT UNSIGNED NULL,
    PRIMARY KEY (pass_id, press),
    KEY pass_uses_by_time (pass_id, used_us),
    CONSTRAINT pass_uses_of_pass FOREIGN KEY (pass_id) REFERENCES passes (id) ON DELETE CASCADE
) ENGINE = InnoDB;
