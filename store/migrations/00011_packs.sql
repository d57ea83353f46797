-- +goose Up
-- Archives that prints came in: all that is in one but the G-code of the plate, which the print
-- keeps; picture is what the archive shows of it, JPEG.
CREATE TABLE packs (
  print_id  INTEGER PRIMARY KEY REFERENCES prints(id) ON DELETE CASCADE,
  plate     TEXT NOT NULL,
  shell     BLOB NOT NULL,
  picture   BLOB
);

-- +goose Down
DROP TABLE packs;
