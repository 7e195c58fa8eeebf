-- Photos of boards: JPEG, scaled down, without metadata.
CREATE TABLE photos (
  id TEXT PRIMARY KEY,
  board_id TEXT NOT NULL REFERENCES boards (id) ON DELETE CASCADE,
  says TEXT NOT NULL,
  width INTEGER NOT NULL,
  height INTEGER NOT NULL,
  jpeg BLOB NOT NULL,
  added_at TEXT NOT NULL,
  removed_at TEXT,
  state TEXT AS (json_object('board_id', board_id, 'says', says, 'removed_at', removed_at)) VIRTUAL
) STRICT;
CREATE INDEX photos_of_board ON photos (board_id, added_at);

CREATE TRIGGER photos_added AFTER INSERT ON photos BEGIN
  INSERT INTO edited VALUES ('photo', NEW.id, NULL, NULL, NEW.state);
END;
CREATE TRIGGER photos_edited AFTER UPDATE ON photos BEGIN
  INSERT INTO edited VALUES ('photo', NEW.id, NULL, OLD.state, NEW.state);
END;
