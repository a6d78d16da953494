DROP TABLE snapshot_parts;
