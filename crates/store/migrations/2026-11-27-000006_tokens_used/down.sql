ALTER TABLE api_tokens DROP COLUMN used_us;
