-- When the server was last there, and when it was away: a clock of the audience's time must say what became of it.
CREATE TABLE presence (
    id TINYINT UNSIGNED NOT NULL PRIMARY KEY,
    alive_us BIGINT NOT NULL
) ENGINE = InnoDB;
CREATE TABLE absences (
    from_us BIGINT NOT NULL,
    until_us BIGINT NOT NULL,
    PRIMARY KEY (from_us),
    KEY absences_by_end (until_us)
) ENGINE = InnoDB;
