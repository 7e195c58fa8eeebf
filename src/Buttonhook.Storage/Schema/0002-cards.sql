-- Cards of boards, images and revision codes that people added, and what inspections found in image files.
CREATE TABLE cards (
  kind TEXT NOT NULL CHECK (kind IN ('board', 'image', 'code')),
  id TEXT NOT NULL,
  card TEXT NOT NULL,
  added_at TEXT NOT NULL,
  PRIMARY KEY (kind, id)
) STRICT;

CREATE TABLE inspections (
  image_id TEXT PRIMARY KEY,
  inspection TEXT NOT NULL,
  made_at TEXT NOT NULL
) STRICT;
