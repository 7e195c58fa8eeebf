-- What a boot's bytes say, kept when it ends (JSON of BootSummary): lists read it instead of the log.
ALTER TABLE boots ADD COLUMN summary TEXT;
