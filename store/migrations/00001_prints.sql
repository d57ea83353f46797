-- +goose Up
CREATE TABLE prints (
  id        INTEGER PRIMARY KEY,
  name      TEXT NOT NULL,              -- file name, cleaned
  title     TEXT NOT NULL,
  state     TEXT NOT NULL CHECK (state IN ('arriving', 'reading', 'ready')),
  bytes     INTEGER NOT NULL DEFAULT 0,
  sha256    TEXT NOT NULL DEFAULT '',
  created   TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  rev       INTEGER NOT NULL DEFAULT 0  -- current row of revisions, 0: nothing marked yet
);

-- The file itself: written once, never changed.
CREATE TABLE chunks (
  print_id  INTEGER NOT NULL REFERENCES prints(id) ON DELETE CASCADE,
  seq       INTEGER NOT NULL,
  data      BLOB NOT NULL,              -- zstd of chunkSize bytes, the last one of fewer
  PRIMARY KEY (print_id, seq)
) WITHOUT ROWID;

-- What a reading of the file found.
CREATE TABLE indexes (
  print_id  INTEGER PRIMARY KEY REFERENCES prints(id) ON DELETE CASCADE,
  version   INTEGER NOT NULL,
  data      BLOB NOT NULL
);

-- What was marked, one row per change, so that every change can be undone.
CREATE TABLE revisions (
  print_id  INTEGER NOT NULL REFERENCES prints(id) ON DELETE CASCADE,
  rev       INTEGER NOT NULL,
  doc       TEXT NOT NULL,              -- dogear-plan/1 without printer and filaments
  created   TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  PRIMARY KEY (print_id, rev)
) WITHOUT ROWID;

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

-- +goose Down
DROP TABLE filaments;
DROP TABLE revisions;
DROP TABLE indexes;
DROP TABLE chunks;
DROP TABLE prints;
