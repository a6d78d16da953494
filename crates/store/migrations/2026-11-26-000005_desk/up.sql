-- Which widgets stand on the desk, and in which order, as JSON.
ALTER TABLE channels ADD COLUMN desk TEXT NOT NULL DEFAULT '{}';
