-- +goose Up
-- Pictures of parts that somebody compares with a layer, JPEG. A pick-up names its own.
CREATE TABLE photos (
  id        INTEGER PRIMARY KEY AUTOINCREMENT,
  print_id  INTEGER NOT NULL REFERENCES prints(id) ON DELETE CASCADE,
  data      BLOB NOT NULL,
  at        TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now'))
);
CREATE INDEX photos_of ON photos (print_id);

-- +goose Down
DROP TABLE photos;
