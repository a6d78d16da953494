-- Whether what is arranged goes on air with every step, or only when it is put there.
ALTER TABLE overlays ADD COLUMN at_once BOOLEAN NOT NULL DEFAULT FALSE;
