DROP TABLE clips;
