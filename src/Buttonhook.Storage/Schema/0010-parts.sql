-- Supplies, parts that boards feed and console adapters of a person's own, beside those that any bench has.
CREATE TABLE parts (
  kind TEXT NOT NULL CHECK (kind IN ('supply', 'part', 'adapter')),
  id TEXT NOT NULL,
  part TEXT NOT NULL,
  added_at TEXT NOT NULL,
  PRIMARY KEY (kind, id)
) STRICT;
