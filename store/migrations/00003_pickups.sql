-- +goose Up
-- How a print that failed is finished: one row a failure, kept with the print.
CREATE TABLE pickups (
  id        INTEGER PRIMARY KEY,
  print_id  INTEGER NOT NULL REFERENCES prints(id) ON DELETE CASCADE,
  created   TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  written   TEXT,                       -- when its file was last written; NULL for the one being worked on
  doc       TEXT NOT NULL               -- what is known and what was decided
);
CREATE INDEX pickups_by_print ON pickups (print_id, id);

-- +goose Down
DROP TABLE pickups;
