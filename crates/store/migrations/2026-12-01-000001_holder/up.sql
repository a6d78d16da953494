-- Who uses the database: a second program that is started on it names the first in its refusal.
ALTER TABLE presence ADD COLUMN holder VARCHAR(500) NOT NULL DEFAULT '';
