-- +goose Up
-- A print may be a newer slicing of another one, from which its marks came.
ALTER TABLE prints ADD COLUMN older INTEGER REFERENCES prints(id) ON DELETE SET NULL;
ALTER TABLE prints ADD COLUMN carried TEXT;  -- what became of the marks, as JSON; NULL when that has been read, or before it is known

-- +goose Down
ALTER TABLE prints DROP COLUMN carried;
ALTER TABLE prints DROP COLUMN older;
