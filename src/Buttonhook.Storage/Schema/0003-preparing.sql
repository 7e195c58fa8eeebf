-- What is set before the first boot of a board, the simulated card slots, cards that were written, and recipes that people added.
CREATE TABLE preparations (
  board_id TEXT PRIMARY KEY REFERENCES boards (id) ON DELETE CASCADE,
  first_boot TEXT NOT NULL,
  recipes TEXT NOT NULL
) STRICT;

CREATE TABLE card_slots (
  id TEXT PRIMARY KEY,
  name TEXT NOT NULL,
  setup TEXT NOT NULL
) STRICT;

CREATE TABLE card_writes (
  id TEXT PRIMARY KEY,
  board_id TEXT NOT NULL,
  slot_id TEXT NOT NULL,
  state TEXT NOT NULL,
  running INTEGER NOT NULL,
  started_at TEXT NOT NULL
) STRICT;
CREATE INDEX card_writes_by_board ON card_writes (board_id, started_at);

CREATE TABLE recipes (
  id TEXT PRIMARY KEY,
  recipe TEXT NOT NULL
) STRICT;
