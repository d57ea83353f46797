package store

import (
	"context"
	"database/sql"
	"dogear/core/finding"
	"encoding/json"
)

// Versions returns the ids of all slicings of one model that a print belongs to,
// the oldest first; only the print itself when it has none.
func (s *Store) Versions(ctx context.Context, id int64) ([]int64, error) {
	return s.numbers(ctx, `WITH RECURSIVE
		down(id, n) AS (SELECT ?1, 0 UNION SELECT p.older, n + 1 FROM prints p
			JOIN down ON p.id = down.id WHERE p.older IS NOT NULL AND n < 1000),
		up(id, n) AS (SELECT ?1, 0 UNION SELECT p.id, n - 1 FROM prints p
			JOIN up ON p.older = up.id WHERE p.state <> 'arriving' AND n > -1000)
		SELECT id FROM (SELECT id, n FROM down UNION SELECT id, n FROM up) JOIN prints USING (id)
			WHERE `+standing+` ORDER BY n DESC, id`, id)
}

// SaveCarried keeps what became of the marks of a print's older version; nil
// when that has been read.
func (s *Store) SaveCarried(ctx context.Context, id int64, report []finding.Finding) error {
	var doc sql.NullString
	if report != nil {
		j, err := json.Marshal(report)
		if err != nil {
			return err
		}
		doc = sql.NullString{String: string(j), Valid: true}
	}
	_, err := s.exec(ctx, `UPDATE prints SET carried = ? WHERE id = ?`, doc, id)
	return err
}

// Carried returns what became of the marks of a print's older version, until it
// has been read.
func (s *Store) Carried(ctx context.Context, id int64) ([]finding.Finding, error) {
	var doc sql.NullString
	if err := s.db.QueryRowContext(ctx, `SELECT carried FROM prints WHERE id = ?`,
		id).Scan(&doc); err != nil || !doc.Valid {
		return nil, err
	}
	var out []finding.Finding
	return out, json.Unmarshal([]byte(doc.String), &out)
}
