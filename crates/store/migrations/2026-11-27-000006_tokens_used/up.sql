-- When a program's token was used last, in microseconds of Unix time, to the minute.
ALTER TABLE api_tokens ADD COLUMN used_us BIGINT NULL;
