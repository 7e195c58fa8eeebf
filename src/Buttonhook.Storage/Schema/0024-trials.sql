-- What was tried at a console in a boot and held until the board restarted.
CREATE TABLE boot_trials (
  boot_id TEXT NOT NULL REFERENCES boots (id) ON DELETE CASCADE,
  number INTEGER NOT NULL,
  cause TEXT NOT NULL,
  -- The line behind which it was typed.
  line INTEGER NOT NULL,
  -- What was offered, with the very lines and the edit that would last (JSON).
  offered TEXT NOT NULL,
  tried_at TEXT NOT NULL,
  PRIMARY KEY (boot_id, number)
) STRICT;
