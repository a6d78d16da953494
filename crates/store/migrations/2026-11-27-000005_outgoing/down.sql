DROP TABLE outgoing;
