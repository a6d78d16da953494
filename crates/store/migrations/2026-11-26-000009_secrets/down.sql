ALTER TABLE entries MODIFY body TEXT NOT NULL;
DROP TABLE wheel_seeds;
DROP TABLE vote_keys;
