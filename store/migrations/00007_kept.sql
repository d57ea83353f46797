-- +goose Up
-- A print that was taken off the shelf can be put back for a while.
ALTER TABLE prints ADD COLUMN removed TEXT;  -- when it was taken off; NULL while it stands there

-- The number of a pick-up that was forgotten is never given again.
CREATE TABLE pickups_new (
  id        INTEGER PRIMARY KEY AUTOINCREMENT,
  print_id  INTEGER NOT NULL REFERENCES prints(id) ON DELETE CASCADE,
  created   TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  written   TEXT,                       -- when its file was last written; NULL for the one being worked on
  doc       TEXT NOT NULL               -- what is known and what was decided
);
INSERT INTO pickups_new (id, print_id, created, written, doc)
  SELECT id, print_id, created, written, doc FROM pickups;
DROP TABLE pickups;
ALTER TABLE pickups_new RENAME TO pickups;
CREATE INDEX pickups_by_print ON pickups (print_id, id);

-- What the shelf shows of a print, so that no file is opened for it.
CREATE TABLE faces (
  print_id  INTEGER PRIMARY KEY REFERENCES prints(id) ON DELETE CASCADE,
  kind      TEXT NOT NULL,              -- "layered", "sequential" or "vase"
  high      REAL NOT NULL,              -- mm
  wide      REAL NOT NULL,              -- mm, as seen from the front
  deep      REAL NOT NULL,              -- mm
  step      REAL NOT NULL,              -- mm, the height that most layers have
  layers    INTEGER NOT NULL,
  seconds   REAL NOT NULL,
  seen      TEXT NOT NULL DEFAULT '',   -- what the drawing was made from
  drawing   BLOB                        -- the drawing, as the shelf understands it; NULL for none yet
);
CREATE INDEX faces_by_height ON faces (high);
CREATE INDEX prints_by_sum ON prints (sha256);

-- +goose Down
DROP INDEX prints_by_sum;
DROP TABLE faces;
CREATE TABLE pickups_old (
  id        INTEGER PRIMARY KEY,
  print_id  INTEGER NOT NULL REFERENCES prints(id) ON DELETE CASCADE,
  created   TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  written   TEXT,
  doc       TEXT NOT NULL
);
INSERT INTO pickups_old SELECT id, print_id, created, written, doc FROM pickups;
DROP TABLE pickups;
ALTER TABLE pickups_old RENAME TO pickups;
CREATE INDEX pickups_by_print ON pickups (print_id, id);
ALTER TABLE prints DROP COLUMN removed;
