-- What the bytes of a boot that ended say (JSON of reading and diagnosis), and where its pages lie (JSON of LogPage): opening a boot reads
-- these and not its log. Which rules made it stands in boots.summary_version.
CREATE TABLE boot_readings (
  boot_id TEXT PRIMARY KEY REFERENCES boots (id) ON DELETE CASCADE,
  reading TEXT NOT NULL,
  pages TEXT NOT NULL
) STRICT;
