-- Folders of this computer in which a person keeps downloads.
CREATE TABLE folders (
  path TEXT PRIMARY KEY,
  added_at TEXT NOT NULL
) STRICT;
