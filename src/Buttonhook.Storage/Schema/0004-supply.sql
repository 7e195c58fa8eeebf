-- The supply cable of a board and the parts that it feeds (a JSON list of ids).
ALTER TABLE boards ADD COLUMN cable_id TEXT;
ALTER TABLE boards ADD COLUMN parts TEXT NOT NULL DEFAULT '[]';
