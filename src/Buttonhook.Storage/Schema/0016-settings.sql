-- Working settings may come from elsewhere than a boot of this bench: then no boot proves them, and they say where they came from.
CREATE TABLE settings_kept (
  board_id TEXT NOT NULL REFERENCES boards (id) ON DELETE CASCADE,
  version INTEGER NOT NULL,
  boot_id TEXT REFERENCES boots (id) ON DELETE SET NULL,
  settings TEXT NOT NULL,
  saved_at TEXT NOT NULL,
  came_from TEXT,
  PRIMARY KEY (board_id, version)
) STRICT;
INSERT INTO settings_kept (board_id, version, boot_id, settings, saved_at)
  SELECT board_id, version, boot_id, settings, saved_at FROM settings;
DROP TABLE settings;
ALTER TABLE settings_kept RENAME TO settings;
