-- +goose Up
-- What happened to a print: a line each.
CREATE TABLE diary (
  id        INTEGER PRIMARY KEY AUTOINCREMENT,
  print_id  INTEGER NOT NULL REFERENCES prints(id) ON DELETE CASCADE,
  at        TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  kind      TEXT NOT NULL,
  text      TEXT NOT NULL
);
CREATE INDEX diary_of ON diary (print_id);

-- +goose Down
DROP TABLE diary;
