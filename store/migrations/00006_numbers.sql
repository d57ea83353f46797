-- +goose Up
-- The last number that a print has got. The number of a print that was removed is never
-- given again: an old page, or anything kept by number, would show another file.
CREATE TABLE numbers (
  last  INTEGER NOT NULL
);
INSERT INTO numbers (last) SELECT coalesce(max(id), 0) FROM prints;
-- +goose StatementBegin
CREATE TRIGGER prints_number AFTER INSERT ON prints
BEGIN
  UPDATE numbers SET last = max(last, NEW.id);
END;
-- +goose StatementEnd

-- +goose Down
DROP TRIGGER prints_number;
DROP TABLE numbers;
