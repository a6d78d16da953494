DROP TABLE feeds;
