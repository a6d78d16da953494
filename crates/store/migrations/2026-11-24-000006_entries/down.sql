DROP TABLE entries;
