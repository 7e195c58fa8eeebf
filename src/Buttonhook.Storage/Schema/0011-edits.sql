-- What people changed, so that every change can be taken back: an edit is all that one request did, its rows hold each thing before and after.
-- acting(…) is a function of Buttonhook's connections: 'token', 'at' and 'says' of the request that runs, or null.
CREATE TABLE edits (
  id INTEGER PRIMARY KEY,
  token TEXT NOT NULL UNIQUE,
  made_at TEXT NOT NULL,
  -- In the words of the request; null where the rows tell it.
  says TEXT,
  -- The edit that this one took back, or null.
  undoes INTEGER,
  undone_at TEXT
) STRICT;

CREATE TABLE edit_rows (
  id INTEGER PRIMARY KEY,
  edit_id INTEGER NOT NULL REFERENCES edits (id) ON DELETE CASCADE,
  kind TEXT NOT NULL,
  key TEXT NOT NULL,
  -- Of a board: which version it was before.
  version INTEGER,
  before TEXT,
  after TEXT NOT NULL
) STRICT;
CREATE INDEX edit_rows_of_edit ON edit_rows (edit_id);
CREATE INDEX edit_rows_of_thing ON edit_rows (kind, key);

ALTER TABLE parts ADD COLUMN removed_at TEXT;

-- Counts the changes of a board, so that a page that began before one is told.
ALTER TABLE boards ADD COLUMN version INTEGER NOT NULL DEFAULT 1;

-- What of a thing people change, and which board it belongs to, as one JSON text.
ALTER TABLE boards ADD COLUMN state TEXT AS (json_object(
  'nickname', nickname, 'model_id', model_id, 'revision_id', revision_id, 'memory_mib', memory_mib, 'card_gb', card_gb, 'screen', screen,
  'network', network, 'supply_id', supply_id, 'cable_id', cable_id, 'parts', parts, 'adapter_id', adapter_id, 'told_by', told_by,
  'image_id', image_id, 'card_number', card_number, 'told_card', told_card, 'simulated', simulated, 'fault_id', fault_id,
  'removed_at', removed_at)) VIRTUAL;
ALTER TABLE cards ADD COLUMN state TEXT AS (json_object('card', card, 'removed_at', removed_at)) VIRTUAL;
ALTER TABLE parts ADD COLUMN state TEXT AS (json_object('part', part, 'removed_at', removed_at)) VIRTUAL;
ALTER TABLE recipes ADD COLUMN state TEXT AS (json_object('recipe', recipe, 'removed_at', removed_at)) VIRTUAL;
ALTER TABLE boots ADD COLUMN state TEXT AS (json_object('board_id', board_id, 'number', number, 'removed_at', removed_at)) VIRTUAL;
ALTER TABLE changes ADD COLUMN state TEXT AS (json_object('board_id', board_id, 'text', text, 'removed_at', removed_at)) VIRTUAL;

CREATE TRIGGER boards_counted AFTER UPDATE ON boards WHEN NEW.state <> OLD.state BEGIN
  UPDATE boards SET version = OLD.version + 1 WHERE id = NEW.id;
END;

-- What changed arrives here, and is put behind its edit.
CREATE VIEW edited AS SELECT kind, key, version, before, after FROM edit_rows;
CREATE TRIGGER edited_now INSTEAD OF INSERT ON edited WHEN acting('token') IS NOT NULL AND NEW.before IS NOT NEW.after BEGIN
  INSERT INTO edits (token, made_at, says) SELECT acting('token'), acting('at'), acting('says')
    WHERE NOT EXISTS (SELECT 1 FROM edits WHERE token = acting('token'));
  INSERT INTO edit_rows (edit_id, kind, key, version, before, after)
    SELECT id, NEW.kind, NEW.key, NEW.version, NEW.before, NEW.after FROM edits WHERE token = acting('token');
END;

CREATE TRIGGER boards_put AFTER INSERT ON boards BEGIN
  INSERT INTO edited VALUES ('board', NEW.id, NULL, NULL, NEW.state);
END;
CREATE TRIGGER boards_edited AFTER UPDATE ON boards BEGIN
  INSERT INTO edited VALUES ('board', NEW.id, OLD.version, OLD.state, NEW.state);
END;
CREATE TRIGGER cards_added AFTER INSERT ON cards BEGIN
  INSERT INTO edited VALUES (NEW.kind || '-card', NEW.id, NULL, NULL, NEW.state);
END;
CREATE TRIGGER cards_edited AFTER UPDATE ON cards BEGIN
  INSERT INTO edited VALUES (NEW.kind || '-card', NEW.id, NULL, OLD.state, NEW.state);
END;
CREATE TRIGGER parts_added AFTER INSERT ON parts BEGIN
  INSERT INTO edited VALUES (NEW.kind, NEW.id, NULL, NULL, NEW.state);
END;
CREATE TRIGGER parts_edited AFTER UPDATE ON parts BEGIN
  INSERT INTO edited VALUES (NEW.kind, NEW.id, NULL, OLD.state, NEW.state);
END;
CREATE TRIGGER recipes_added AFTER INSERT ON recipes BEGIN
  INSERT INTO edited VALUES ('recipe', NEW.id, NULL, NULL, NEW.state);
END;
CREATE TRIGGER recipes_edited AFTER UPDATE ON recipes BEGIN
  INSERT INTO edited VALUES ('recipe', NEW.id, NULL, OLD.state, NEW.state);
END;
CREATE TRIGGER logs_edited AFTER UPDATE OF removed_at ON boots BEGIN
  INSERT INTO edited VALUES ('log', NEW.id, NULL, OLD.state, NEW.state);
END;
CREATE TRIGGER corrections_added AFTER INSERT ON changes BEGIN
  INSERT INTO edited VALUES ('correction', CAST(NEW.id AS TEXT), NULL, NULL, NEW.state);
END;
CREATE TRIGGER corrections_edited AFTER UPDATE ON changes BEGIN
  INSERT INTO edited VALUES ('correction', CAST(NEW.id AS TEXT), NULL, OLD.state, NEW.state);
END;

-- Changes of board cards that were kept before: they are edits of one card.
INSERT INTO edits (id, token, made_at, says, undone_at) SELECT id, 'card-change-' || id, made_at, says, undone_at FROM card_changes;
INSERT INTO edit_rows (edit_id, kind, key, before, after)
  SELECT id, 'board-card', card_id, json_object('card', before, 'removed_at', NULL), json_object('card', after, 'removed_at', NULL)
  FROM card_changes;
DROP TABLE card_changes;
