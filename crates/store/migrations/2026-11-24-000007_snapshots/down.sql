DROP TABLE snapshots;
