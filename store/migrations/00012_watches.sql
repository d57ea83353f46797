-- +goose Up
-- Prints that are watched while they run, newest first; doc is a watch.Watch.
CREATE TABLE watches (
  id        INTEGER PRIMARY KEY AUTOINCREMENT,
  print_id  INTEGER NOT NULL REFERENCES prints(id) ON DELETE CASCADE,
  doc       TEXT NOT NULL
);
CREATE INDEX watches_of ON watches (print_id);

-- Links that let one browser in, once, to one print.
CREATE TABLE tickets (
  token     BLOB PRIMARY KEY,
  print_id  INTEGER NOT NULL REFERENCES prints(id) ON DELETE CASCADE,
  created   TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now'))
);
-- A browser that came in by such a link sees that print only.
ALTER TABLE sessions ADD COLUMN print_id INTEGER REFERENCES prints(id) ON DELETE CASCADE;

-- +goose Down
DROP TABLE tickets;
DROP TABLE watches;
ALTER TABLE sessions DROP COLUMN print_id;
