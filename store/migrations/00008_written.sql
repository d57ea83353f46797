-- +goose Up
-- What was written of a print: a row for each state of its marks, with when that was last.
CREATE TABLE written (
  print_id  INTEGER NOT NULL REFERENCES prints(id) ON DELETE CASCADE,
  marks     TEXT NOT NULL,              -- names the marks and all they use of the Kit
  name      TEXT NOT NULL,              -- of the file
  at        TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now')),
  PRIMARY KEY (print_id, marks)
) WITHOUT ROWID;

-- +goose Down
DROP TABLE written;
