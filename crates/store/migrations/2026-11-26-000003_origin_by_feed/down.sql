-- Where two feeds brought the same (source, id) since, the later one keeps its new key.
UPDATE IGNORE entries SET origin = UNHEX(LEFT(SHA2(CONCAT(source, CHAR(0), source_id), 256), 32)) ORDER BY seq;
