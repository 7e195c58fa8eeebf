-- What was typed, seen and done during a boot stands in one time line with its bytes: kind tells what it is, at_byte how many bytes were
-- received before it (null where that was not kept), bytes what was typed exactly (null for anything else, and for a secret).
ALTER TABLE boot_notes RENAME TO boot_events;
ALTER TABLE boot_events ADD COLUMN kind TEXT NOT NULL DEFAULT 'Mark';
ALTER TABLE boot_events ADD COLUMN at_byte INTEGER;
ALTER TABLE boot_events ADD COLUMN bytes BLOB;
UPDATE boot_events SET kind = 'Power' WHERE text IN ('Power applied', 'Power taken');
CREATE INDEX boot_events_of_boot ON boot_events (boot_id, milliseconds);

-- What the times of a boot count from (Power, FirstLoader, FirstByte; null until it was read), and how its console was opened, so that the
-- capture can go on after a stop of the server (JSON; null where it cannot).
ALTER TABLE boots ADD COLUMN origin TEXT;
ALTER TABLE boots ADD COLUMN port TEXT;
UPDATE boots SET origin = 'Power' WHERE power_at > 0 OR source LIKE 'simulated board%';

-- How long good boots were quiet behind a line of this shape, at most: for the silence at this very point.
CREATE TABLE boot_pauses (
  boot_id TEXT NOT NULL REFERENCES boots (id) ON DELETE CASCADE,
  shape INTEGER NOT NULL,
  milliseconds INTEGER NOT NULL,
  PRIMARY KEY (shape, boot_id)
) STRICT, WITHOUT ROWID;
CREATE INDEX boot_pauses_of_boot ON boot_pauses (boot_id);

-- A log that came with times of another program, exactly as it came; boot_bytes has what the board printed.
CREATE TABLE boot_originals (
  boot_id TEXT PRIMARY KEY REFERENCES boots (id) ON DELETE CASCADE,
  name TEXT NOT NULL,
  bytes BLOB NOT NULL
) STRICT;

-- What a person lets the computer type to a board (JSON of Sequence).
CREATE TABLE sequences (
  board_id TEXT NOT NULL REFERENCES boards (id) ON DELETE CASCADE,
  name TEXT NOT NULL COLLATE NOCASE,
  sequence TEXT NOT NULL,
  PRIMARY KEY (board_id, name)
) STRICT;

-- The words of the logs: which stretches of lines hold them. The lines themselves are read from the bytes.
CREATE TABLE log_stretches (
  id INTEGER PRIMARY KEY,
  boot_id TEXT NOT NULL REFERENCES boots (id) ON DELETE CASCADE,
  first_line INTEGER NOT NULL,
  lines INTEGER NOT NULL
) STRICT;
CREATE INDEX log_stretches_of_boot ON log_stretches (boot_id, first_line);
CREATE VIRTUAL TABLE log_words USING fts5 (
  text, content = '', contentless_delete = 1, detail = 'none', prefix = '3', tokenize = "unicode61 remove_diacritics 0"
);
CREATE TRIGGER log_stretches_gone AFTER DELETE ON log_stretches BEGIN
  DELETE FROM log_words WHERE rowid = OLD.id;
END;

-- Good boots of an image, whatever the board.
CREATE INDEX boots_by_image ON boots (image_id, outcome);
