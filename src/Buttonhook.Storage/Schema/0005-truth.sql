-- What a step of the work is proven by, how a capture ended, and removal that can be taken back.
ALTER TABLE preparations ADD COLUMN version INTEGER NOT NULL DEFAULT 1;

-- The card (boards.card_number) of which a person says that it was written elsewhere.
ALTER TABLE boards ADD COLUMN told_card INTEGER;

-- How the capture ended (unknown, person, server, port), how long it listened behind the last byte, when power was applied after it began,
-- and which version of the rules the summary was made by.
ALTER TABLE boots ADD COLUMN end_kind TEXT;
ALTER TABLE boots ADD COLUMN end_quiet INTEGER;
ALTER TABLE boots ADD COLUMN power_at INTEGER NOT NULL DEFAULT 0;
ALTER TABLE boots ADD COLUMN summary_version INTEGER NOT NULL DEFAULT 0;
UPDATE boots SET end_kind = CASE
  WHEN ended_at IS NULL THEN NULL
  WHEN ended_why = 'A log file.' THEN 'Unknown'
  WHEN ended_why = 'Ended by you.' THEN 'Person'
  WHEN ended_why LIKE 'Buttonhook was stopped%' THEN 'Server'
  ELSE 'Port' END;
UPDATE boots SET end_quiet = CAST((julianday(ended_at) - julianday(started_at)) * 86400000 AS INTEGER)
  - (SELECT MAX(milliseconds) FROM boot_bytes WHERE boot_id = boots.id)
  WHERE end_kind IN ('Person', 'Port');

ALTER TABLE boards ADD COLUMN removed_at TEXT;
ALTER TABLE boots ADD COLUMN removed_at TEXT;
ALTER TABLE changes ADD COLUMN removed_at TEXT;
ALTER TABLE cards ADD COLUMN removed_at TEXT;
ALTER TABLE recipes ADD COLUMN removed_at TEXT;

-- What was really changed by a correction: the file, the line, before and after; null for one that only a person's words tell of.
ALTER TABLE changes ADD COLUMN edit TEXT;
