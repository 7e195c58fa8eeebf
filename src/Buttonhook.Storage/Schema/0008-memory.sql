-- How much memory is fitted may be unknown.
ALTER TABLE boards ADD COLUMN fitted_mib INTEGER CHECK (fitted_mib > 0);
UPDATE boards SET fitted_mib = memory_mib;
ALTER TABLE boards DROP COLUMN memory_mib;
ALTER TABLE boards RENAME COLUMN fitted_mib TO memory_mib;
