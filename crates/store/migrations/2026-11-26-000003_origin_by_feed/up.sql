-- An event is known by (feed, source, id): two services may number alike, and no sender can reach what is
-- our own. Files share one namespace, so that one which is read twice is noticed.
UPDATE entries LEFT JOIN feeds ON feeds.id = entries.feed_id
SET entries.origin = UNHEX(LEFT(SHA2(CONCAT(
    CASE WHEN entries.feed_id IS NULL THEN 'own' WHEN feeds.kind = 'import' THEN 'file' ELSE CONCAT('feed ', entries.feed_id) END,
    CHAR(0), entries.source, CHAR(0), entries.source_id), 256), 32));
