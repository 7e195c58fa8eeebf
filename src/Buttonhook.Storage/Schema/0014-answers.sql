-- What a person found after a boot by the check of a cause: yes, no, or unseen.
CREATE TABLE boot_answers (
  boot_id TEXT NOT NULL REFERENCES boots (id) ON DELETE CASCADE,
  cause TEXT NOT NULL,
  answer TEXT NOT NULL,
  answered_at TEXT NOT NULL,
  PRIMARY KEY (boot_id, cause)
) STRICT;
