-- The disk that a move was begun for, as the running system named it, and what the system showed of its disks then (JSON of DiskLook).
ALTER TABLE moves ADD COLUMN device TEXT;
ALTER TABLE moves ADD COLUMN look TEXT;
