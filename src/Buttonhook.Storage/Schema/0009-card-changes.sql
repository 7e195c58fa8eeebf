-- What was changed on a board card, by a person or by what a log taught: the card before and after, so that it can be undone.
CREATE TABLE card_changes (
  id INTEGER PRIMARY KEY,
  card_id TEXT NOT NULL,
  made_at TEXT NOT NULL,
  says TEXT NOT NULL,
  before TEXT NOT NULL,
  after TEXT NOT NULL,
  undone_at TEXT
) STRICT;
