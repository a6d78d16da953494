-- How a channel goes on air and off by itself: the rules, with the shows of its schedule, as JSON; where the schedule comes from
-- (empty for a file), its calendar as it was read last (RFC 5545), when that was, microseconds of Unix time, and why it could not
-- be read since (empty if it could).
CREATE TABLE schedules (
  channel_id INT UNSIGNED NOT NULL PRIMARY KEY,
  rules MEDIUMTEXT NOT NULL DEFAULT '{}',
  url VARCHAR(2000) NOT NULL DEFAULT '',
  calendar MEDIUMTEXT NOT NULL DEFAULT '',
  read_us BIGINT NOT NULL DEFAULT 0,
  failing VARCHAR(400) NOT NULL DEFAULT '',
  CONSTRAINT schedules_of_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
);
