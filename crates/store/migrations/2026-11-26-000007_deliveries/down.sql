DROP TABLE deliveries;
