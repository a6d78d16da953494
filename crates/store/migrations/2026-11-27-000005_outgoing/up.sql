-- What goes out of a channel: what its bot says, as JSON; the secret with which calls of cues are signed (empty until one is
-- wanted); and the token of the page that lists commands for viewers (empty while there is none).
CREATE TABLE outgoing (
  channel_id INT UNSIGNED NOT NULL PRIMARY KEY,
  bot MEDIUMTEXT NOT NULL DEFAULT '{}',
  call_secret VARCHAR(80) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  commands_token VARCHAR(64) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
  KEY outgoing_by_commands_token (commands_token),
  CONSTRAINT outgoing_of_channel FOREIGN KEY (channel_id) REFERENCES channels (id) ON DELETE CASCADE
);
