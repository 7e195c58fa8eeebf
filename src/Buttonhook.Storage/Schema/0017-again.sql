-- What was at the board when a boot began, as JSON: so that statistics tell what was there when it failed.
ALTER TABLE boots ADD COLUMN connected TEXT;

-- Tasks of the first login that a person says were done, for one card of a board.
CREATE TABLE login_tasks (
  board_id TEXT NOT NULL REFERENCES boards (id) ON DELETE CASCADE,
  card_number INTEGER NOT NULL,
  task TEXT NOT NULL,
  told_at TEXT NOT NULL,
  PRIMARY KEY (board_id, card_number, task)
) STRICT;

-- The system of a board that is moved from its card to another medium.
CREATE TABLE moves (
  board_id TEXT PRIMARY KEY REFERENCES boards (id) ON DELETE CASCADE,
  target TEXT NOT NULL,
  -- The device that the root was mounted from before; null when no log said it.
  mounted_before TEXT,
  begun_at TEXT NOT NULL
) STRICT;

-- Images of a card or a drive that were taken as a copy: where they lie, and their sum.
CREATE TABLE image_copies (
  id INTEGER PRIMARY KEY,
  board_id TEXT NOT NULL REFERENCES boards (id) ON DELETE CASCADE,
  place TEXT NOT NULL,
  sha256 TEXT,
  bytes INTEGER,
  made_at TEXT NOT NULL
) STRICT;

-- The same settings for several boards.
CREATE TABLE batches (
  id TEXT PRIMARY KEY,
  name TEXT NOT NULL,
  source_board_id TEXT NOT NULL,
  source_version INTEGER NOT NULL,
  made_at TEXT NOT NULL
) STRICT;
CREATE TABLE batch_boards (
  batch_id TEXT NOT NULL REFERENCES batches (id) ON DELETE CASCADE,
  position INTEGER NOT NULL,
  board_id TEXT NOT NULL,
  PRIMARY KEY (batch_id, position)
) STRICT;

CREATE TABLE practice_rounds (
  id TEXT PRIMARY KEY,
  round TEXT NOT NULL,
  started_at TEXT NOT NULL,
  ended_at TEXT
) STRICT;
