-- A nickname is unique among the boards on the bench: one that was removed keeps its own, and another board may take it.
-- SQLite takes a UNIQUE off a column only with the table (sqlite.org/lang_altertable.html, section 7); foreign keys rest while steps are applied.
CREATE TABLE boards_now (
  id TEXT PRIMARY KEY,
  nickname TEXT NOT NULL COLLATE NOCASE,
  model_id TEXT NOT NULL,
  revision_id TEXT NOT NULL,
  memory_mib INTEGER CHECK (memory_mib > 0),
  card_gb INTEGER CHECK (card_gb > 0),
  screen INTEGER NOT NULL,
  network INTEGER NOT NULL,
  supply_id TEXT,
  cable_id TEXT,
  parts TEXT NOT NULL DEFAULT '[]',
  adapter_id TEXT,
  told_by TEXT NOT NULL,
  image_id TEXT,
  card_number INTEGER NOT NULL DEFAULT 1,
  told_card INTEGER,
  simulated INTEGER NOT NULL,
  fault_id TEXT,
  position INTEGER NOT NULL,
  version INTEGER NOT NULL DEFAULT 1,
  removed_at TEXT,
  -- The one list of the columns that an edit keeps, and that taking it back puts there again.
  state TEXT AS (json_object(
    'nickname', nickname, 'model_id', model_id, 'revision_id', revision_id, 'memory_mib', memory_mib, 'card_gb', card_gb, 'screen', screen,
    'network', network, 'supply_id', supply_id, 'cable_id', cable_id, 'parts', parts, 'adapter_id', adapter_id, 'told_by', told_by,
    'image_id', image_id, 'card_number', card_number, 'told_card', told_card, 'simulated', simulated, 'fault_id', fault_id,
    'removed_at', removed_at)) VIRTUAL
) STRICT;
INSERT INTO boards_now (id, nickname, model_id, revision_id, memory_mib, card_gb, screen, network, supply_id, cable_id, parts, adapter_id, told_by,
    image_id, card_number, told_card, simulated, fault_id, position, version, removed_at)
  SELECT id, substr(nickname, 1, instr(nickname || char(31), char(31)) - 1), model_id, revision_id, memory_mib, card_gb, screen, network, supply_id,
    cable_id, parts, adapter_id, told_by, image_id, card_number, told_card, simulated, fault_id, position, version, removed_at
  FROM boards;
DROP TABLE boards;
ALTER TABLE boards_now RENAME TO boards;
CREATE UNIQUE INDEX nicknames ON boards (nickname) WHERE removed_at IS NULL;

CREATE TRIGGER boards_counted AFTER UPDATE ON boards WHEN NEW.state <> OLD.state BEGIN
  UPDATE boards SET version = OLD.version + 1 WHERE id = NEW.id;
END;
CREATE TRIGGER boards_put AFTER INSERT ON boards BEGIN
  INSERT INTO edited VALUES ('board', NEW.id, NULL, NULL, NEW.state);
END;
CREATE TRIGGER boards_edited AFTER UPDATE ON boards BEGIN
  INSERT INTO edited VALUES ('board', NEW.id, OLD.version, OLD.state, NEW.state);
END;

-- What edits keep of a removed board had its name and its id in one text.
UPDATE edit_rows SET
  before = json_set(before, '$.nickname', substr(before ->> '$.nickname', 1, instr((before ->> '$.nickname') || char(31), char(31)) - 1)),
  after = json_set(after, '$.nickname', substr(after ->> '$.nickname', 1, instr((after ->> '$.nickname') || char(31), char(31)) - 1))
  WHERE kind = 'board' AND instr(coalesce(before ->> '$.nickname', '') || (after ->> '$.nickname'), char(31)) > 0;
