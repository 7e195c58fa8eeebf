-- Boards on the bench, what was changed on their cards, their boots with every byte received, and working settings.
CREATE TABLE boards (
  id TEXT PRIMARY KEY,
  nickname TEXT NOT NULL UNIQUE COLLATE NOCASE,
  model_id TEXT NOT NULL,
  revision_id TEXT NOT NULL,
  memory_mib INTEGER NOT NULL CHECK (memory_mib > 0),
  card_gb INTEGER CHECK (card_gb > 0),
  screen INTEGER NOT NULL,
  network INTEGER NOT NULL,
  supply_id TEXT,
  adapter_id TEXT,
  told_by TEXT NOT NULL,
  image_id TEXT,
  card_number INTEGER NOT NULL DEFAULT 1,
  simulated INTEGER NOT NULL,
  fault_id TEXT,
  position INTEGER NOT NULL
) STRICT;

CREATE TABLE changes (
  id INTEGER PRIMARY KEY,
  board_id TEXT NOT NULL REFERENCES boards (id) ON DELETE CASCADE,
  card_number INTEGER NOT NULL,
  cause_id TEXT NOT NULL,
  text TEXT NOT NULL,
  made_at TEXT NOT NULL
) STRICT;

CREATE INDEX changes_of_board ON changes (board_id, card_number);

CREATE TABLE boots (
  id TEXT PRIMARY KEY,
  board_id TEXT NOT NULL REFERENCES boards (id) ON DELETE CASCADE,
  number INTEGER NOT NULL,
  card_number INTEGER NOT NULL,
  model_id TEXT NOT NULL,
  revision_id TEXT NOT NULL,
  image_id TEXT,
  source TEXT NOT NULL,
  started_at TEXT NOT NULL,
  ended_at TEXT,
  ended_why TEXT,
  -- A summary of what the bytes say, kept for lists; it can always be computed again.
  outcome TEXT,
  last_stage TEXT,
  stages TEXT NOT NULL DEFAULT '[]',
  top_cause TEXT,
  longest_quiet INTEGER,
  UNIQUE (board_id, number)
) STRICT;

CREATE INDEX boots_by_pair ON boots (model_id, revision_id, image_id);

CREATE TABLE boot_bytes (
  boot_id TEXT NOT NULL REFERENCES boots (id) ON DELETE CASCADE,
  sequence INTEGER NOT NULL,
  milliseconds INTEGER NOT NULL,
  bytes BLOB NOT NULL,
  PRIMARY KEY (boot_id, sequence)
) STRICT;

CREATE TABLE boot_notes (
  id INTEGER PRIMARY KEY,
  boot_id TEXT NOT NULL REFERENCES boots (id) ON DELETE CASCADE,
  milliseconds INTEGER NOT NULL,
  text TEXT NOT NULL
) STRICT;

CREATE TABLE settings (
  board_id TEXT NOT NULL REFERENCES boards (id) ON DELETE CASCADE,
  version INTEGER NOT NULL,
  boot_id TEXT NOT NULL REFERENCES boots (id) ON DELETE CASCADE,
  settings TEXT NOT NULL,
  saved_at TEXT NOT NULL,
  PRIMARY KEY (board_id, version)
) STRICT;
