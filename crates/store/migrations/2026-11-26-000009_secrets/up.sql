-- Secrets of polls and wheels, for as long as they have to be kept. Under a poll's key its voters are hidden; the key
-- goes when the poll is over. A wheel's seed waits for its spin; then it stands in the ledger, at the line `spun`.
CREATE TABLE vote_keys (
    widget_id INT UNSIGNED NOT NULL,
    poll BIGINT UNSIGNED NOT NULL,
    vote_key BINARY(32) NOT NULL,
    PRIMARY KEY (widget_id, poll),
    CONSTRAINT vote_keys_of_widget FOREIGN KEY (widget_id) REFERENCES widgets (id) ON DELETE CASCADE
) ENGINE = InnoDB;

CREATE TABLE wheel_seeds (
    commitment BINARY(32) NOT NULL,
    widget_id INT UNSIGNED NOT NULL,
    seed BINARY(32) NULL,
    spun BIGINT UNSIGNED NULL,
    PRIMARY KEY (commitment),
    KEY wheel_seeds_by_widget (widget_id),
    CONSTRAINT wheel_seeds_of_widget FOREIGN KEY (widget_id) REFERENCES widgets (id) ON DELETE CASCADE
) ENGINE = InnoDB;

-- A spin's line holds the list of all that could be drawn: ten thousand names need more than 64 KiB.
ALTER TABLE entries MODIFY body MEDIUMTEXT NOT NULL;
