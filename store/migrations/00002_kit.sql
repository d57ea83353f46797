-- +goose Up
-- What somebody owns, one row an item; doc is the item as in dogear-kit/1.
CREATE TABLE kit (
  drawer    TEXT NOT NULL CHECK (drawer IN ('printers', 'filaments', 'inserts', 'routines')),
  key       TEXT NOT NULL,
  doc       TEXT NOT NULL,
  sort      INTEGER NOT NULL,
  PRIMARY KEY (drawer, key)
) WITHOUT ROWID;

-- Every change of the Kit, so that it can be undone. Rows of one step belong
-- together; NULL means that the item was not, or is not, there.
CREATE TABLE kit_log (
  id        INTEGER PRIMARY KEY,
  step      INTEGER NOT NULL,
  drawer    TEXT NOT NULL,
  key       TEXT NOT NULL,
  sort      INTEGER NOT NULL,
  was       TEXT,
  now       TEXT,
  undone    INTEGER NOT NULL DEFAULT 0
);

INSERT INTO kit (drawer, key, doc, sort)
  SELECT 'filaments', slug, json_object('name', name, 'colour', colour, 'purge', purge), sort FROM filaments;
DROP TABLE filaments;

-- +goose Down
CREATE TABLE filaments (
  slug      TEXT PRIMARY KEY,
  name      TEXT NOT NULL,
  colour    TEXT NOT NULL,
  nozzle_first REAL NOT NULL DEFAULT 0,
  nozzle    REAL NOT NULL DEFAULT 0,
  bed_first REAL NOT NULL DEFAULT 0,
  bed       REAL NOT NULL DEFAULT 0,
  purge     REAL NOT NULL DEFAULT 0,
  sort      INTEGER NOT NULL DEFAULT 0
);
DROP TABLE kit_log;
DROP TABLE kit;
