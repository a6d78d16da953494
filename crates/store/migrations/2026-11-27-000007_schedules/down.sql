DROP TABLE schedules;
