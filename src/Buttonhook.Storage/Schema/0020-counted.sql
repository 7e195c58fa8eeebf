-- What counts as a boot is told when it is summed up, and asked in one place. Boots of before are judged as their outcome says until they are read anew.
ALTER TABLE boots ADD COLUMN counts INTEGER CHECK (counts IN (0, 1));
UPDATE boots SET counts = CASE WHEN outcome IN ('Cut', 'Garbled') THEN 0 ELSE 1 END WHERE outcome IS NOT NULL;
CREATE VIEW counted_boots AS
  SELECT *, outcome IN ('ReachedLogin', 'Degraded') AS good,
    (SELECT json_extract(s.value, '$.milliseconds') / 1000.0 FROM json_each(stages) AS s WHERE json_extract(s.value, '$.stage') = 'login') AS login_seconds
  FROM boots WHERE counts = 1 AND removed_at IS NULL;
