-- What was answered to a question after a boot, by a person or by the board itself. boot_answers keeps what was answered by cause before there were questions.
CREATE TABLE boot_told (
  boot_id TEXT NOT NULL REFERENCES boots (id) ON DELETE CASCADE,
  question TEXT NOT NULL,
  result TEXT NOT NULL,
  -- What the board was asked with; null where a person looked.
  command TEXT,
  answered_at TEXT NOT NULL,
  PRIMARY KEY (boot_id, question)
) STRICT;
