-- What other benches learnt lies beside the cards.
CREATE TABLE cards_new (
  kind TEXT NOT NULL CHECK (kind IN ('board', 'image', 'code', 'experience')),
  id TEXT NOT NULL,
  card TEXT NOT NULL,
  added_at TEXT NOT NULL,
  removed_at TEXT,
  state TEXT AS (json_object('card', card, 'removed_at', removed_at)) VIRTUAL,
  PRIMARY KEY (kind, id)
) STRICT;
INSERT INTO cards_new (kind, id, card, added_at, removed_at) SELECT kind, id, card, added_at, removed_at FROM cards;
DROP TABLE cards;
ALTER TABLE cards_new RENAME TO cards;
CREATE TRIGGER cards_added AFTER INSERT ON cards BEGIN
  INSERT INTO edited VALUES (NEW.kind || '-card', NEW.id, NULL, NULL, NEW.state);
END;
CREATE TRIGGER cards_edited AFTER UPDATE ON cards BEGIN
  INSERT INTO edited VALUES (NEW.kind || '-card', NEW.id, NULL, OLD.state, NEW.state);
END;
