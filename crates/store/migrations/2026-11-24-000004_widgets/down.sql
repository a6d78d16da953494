DROP TABLE widgets;
