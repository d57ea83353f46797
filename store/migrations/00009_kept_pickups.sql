-- +goose Up
-- A pick-up that was written is kept as it was written: its edits of the original, its touch
-- check and its sheet. What came of it is noted later.
ALTER TABLE pickups ADD COLUMN made BLOB;                        -- JSON, as the web understands it; NULL before this was kept
ALTER TABLE pickups ADD COLUMN outcome TEXT NOT NULL DEFAULT ''; -- '', 'worked' or 'failed'

-- +goose Down
ALTER TABLE pickups DROP COLUMN outcome;
ALTER TABLE pickups DROP COLUMN made;
