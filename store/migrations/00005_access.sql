-- +goose Up
-- Who may come in when Dogear answers on a network: one passphrase for the house.
CREATE TABLE access (
  id    INTEGER PRIMARY KEY CHECK (id = 1),
  hash  BLOB NOT NULL                 -- bcrypt of the passphrase
);
CREATE TABLE sessions (
  token    BLOB PRIMARY KEY,          -- SHA-256 of what the browser holds
  created  TEXT NOT NULL DEFAULT (strftime('%Y-%m-%dT%H:%M:%fZ', 'now'))
) WITHOUT ROWID;

-- +goose Down
DROP TABLE sessions;
DROP TABLE access;
