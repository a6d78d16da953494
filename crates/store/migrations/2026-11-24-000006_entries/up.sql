-- The ledger: append-only, one ascending sequence a channel. `origin` is the first half of the
-- SHA-256 of (source, id), so that one short unique key keeps an event from being recorded twice.
-- Instants are microseconds of Unix time, UTC. `body` is JSON of tally_core::entry::Body.
-- There is no foreign key on purpose: checking one on every line would slow the hottest write.
CREATE TABLE entries (
    channel_id INT UNSIGNED NOT NULL,
    seq BIGINT UNSIGNED NOT NULL,
    origin BINARY(16) NOT NULL,
    source VARCHAR(255) NOT NULL,
    source_id VARCHAR(255) NOT NULL,
    feed_id INT UNSIGNED NULL,
    kind VARCHAR(16) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    happened_us BIGINT NOT NULL,
    arrived_us BIGINT NOT NULL,
    body TEXT NOT NULL,
    PRIMARY KEY (channel_id, seq),
    UNIQUE KEY entries_origin (channel_id, origin),
    KEY entries_kind (channel_id, kind, happened_us)
) DEFAULT CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;
