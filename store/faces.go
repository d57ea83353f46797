package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"math"
	"strings"

	"modernc.org/sqlite"

	"dogear/core/gcode"
	"dogear/core/layer"
)

// Face is what the shelf shows of a print without opening it.
type Face struct {
	Kind             string
	High, Wide, Deep float64 // mm, seen from the front
	Step             float64 // mm, the height that most layers have
	Layers           int
	Seconds          float64
	Seen             string // what Drawing was made from
	Drawing          []byte // nil for none yet
}

// faceOf is the face of a reading.
func faceOf(r *Reading) Face {
	f := Face{Kind: r.Index.Kind, High: r.Index.Height().Millimetres(), Wide: 1, Deep: 1,
		Step: UsualHeight(r.Index).Millimetres(), Layers: len(r.Index.Layers), Seconds: r.Index.Seconds}
	if r.Outline != nil {
		b := r.Outline.Box
		f.Wide, f.Deep = max(float64(b[2]-b[0]), 1), max(float64(b[3]-b[1]), 1)
	}
	return f
}

// UsualHeight is the layer height that most layers of a print have.
func UsualHeight(ix *layer.Index) gcode.Nano {
	count := map[gcode.Nano]int{}
	best := gcode.Nano(0)
	for i := range ix.Layers {
		h := (ix.Layers[i].Height + 500) / 1000 * 1000
		if count[h]++; count[h] > count[best] || count[h] == count[best] && h < best {
			best = h
		}
	}
	return best
}

func saveFace(ctx context.Context, tx *sql.Tx, id int64, f Face) error {
	_, err := tx.ExecContext(ctx, `INSERT OR REPLACE INTO faces
		(print_id, kind, high, wide, deep, step, layers, seconds) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`,
		id, f.Kind, f.High, f.Wide, f.Deep, f.Step, f.Layers, f.Seconds)
	return err
}

// SaveDrawing keeps what the shelf draws of a print.
func (s *Store) SaveDrawing(ctx context.Context, id int64, seen string, drawing []byte) error {
	_, err := s.exec(ctx, `UPDATE faces SET seen = ?, drawing = ? WHERE print_id = ?`, seen, drawing,
		id)
	return err
}

// Stand is a print on the shelf.
type Stand struct {
	Print
	Face         // of a print that is not ready: nothing
	Shown bool   // a picture came with it
	Marks string // changes with everything that its drawing is made from, but for the Kit
}

// Shelf is a part of the shelf.
type Shelf struct {
	Stands     []Stand
	Found      int     // prints that fit what is looked for
	All        int     // prints in all
	Tall, Wide float64 // the most that any of those found measure, mm, up to a bound
}

// scaleUpTo bounds what counts for the shelf's scale, mm: one giant must not make
// all others tiny.
const scaleUpTo = 120

// lowered is lower case as Go knows it: that of SQLite knows no letters but a to z.
func init() {
	sqlite.MustRegisterDeterministicScalarFunction("lowered", 1,
		func(_ *sqlite.FunctionContext, args []driver.Value) (driver.Value, error) {
			if s, ok := args[0].(string); ok {
				return strings.ToLower(s), nil
			}
			return args[0], nil
		})
}

// Shelf returns prints from one place on, the newest first. Without find a print stands
// with its newest version.
func (s *Store) Shelf(ctx context.Context, find string, from, most int) (*Shelf, error) {
	where, args := standing, []any{}
	if find = strings.ToLower(strings.TrimSpace(find)); find != "" {
		where += ` AND instr(lowered(title || ' ' || name), ?) > 0`
		args = append(args, find)
	} else {
		where += ` AND id NOT IN (SELECT older FROM prints WHERE older IS NOT NULL AND ` + standing + `)`
	}
	sh := &Shelf{Tall: 1, Wide: 1}
	var tall, wide sql.NullFloat64
	err := s.db.QueryRowContext(ctx, `SELECT COUNT(*), MAX(MIN(high, ?1)), MAX(MIN(wide, ?1)),
		(SELECT COUNT(*) FROM prints WHERE `+standing+`)
		FROM prints LEFT JOIN faces ON print_id = id AND state = 'ready' WHERE `+where,
		append([]any{scaleUpTo}, args...)...).Scan(&sh.Found, &tall, &wide, &sh.All)
	if err != nil {
		return nil, err
	}
	sh.Tall, sh.Wide = max(sh.Tall, tall.Float64), max(sh.Wide, wide.Float64)
	rows, err := s.db.QueryContext(ctx, `SELECT `+printColumns+`,
		kind, high, wide, deep, step, layers, seconds, seen, drawing,
		prints.rev || ' ' || COALESCE((SELECT created FROM revisions r
			WHERE r.print_id = prints.id AND r.rev = prints.rev), '') || ' ' ||
			COALESCE((SELECT id || doc FROM pickups k WHERE k.print_id = prints.id
			ORDER BY id DESC LIMIT 1), ''),
		EXISTS (SELECT 1 FROM packs WHERE packs.print_id = prints.id AND picture IS NOT NULL)
		FROM prints LEFT JOIN faces ON print_id = id AND state = 'ready' WHERE `+where+`
		ORDER BY created DESC, id DESC LIMIT ? OFFSET ?`, append(args, most, from)...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var st Stand
		var kind, seen sql.NullString
		var m [5]sql.NullFloat64
		var layers sql.NullInt64
		st.Print, err = scanPrint(rows, &kind, &m[0], &m[1], &m[2], &m[3], &layers, &m[4], &seen,
			&st.Drawing, &st.Marks, &st.Shown)
		if err != nil {
			return nil, err
		}
		st.Kind, st.Layers, st.Seen = kind.String, int(layers.Int64), seen.String
		st.High, st.Wide, st.Deep = m[0].Float64, m[1].Float64, m[2].Float64
		st.Step, st.Seconds = m[3].Float64, m[4].Float64
		sh.Stands = append(sh.Stands, st)
	}
	return sh, rows.Err()
}

// Faces returns the newest prints that have been read, without their drawings.
func (s *Store) Faces(ctx context.Context, most int) ([]Stand, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT `+printColumns+`, kind, high, wide, deep, step, layers,
		seconds FROM prints JOIN faces ON print_id = id
		WHERE state = 'ready' AND removed IS NULL ORDER BY created DESC, id DESC LIMIT ?`, most)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []Stand
	for rows.Next() {
		var st Stand
		if st.Print, err = scanPrint(rows, &st.Kind, &st.High, &st.Wide, &st.Deep, &st.Step, &st.Layers,
			&st.Seconds); err != nil {
			return nil, err
		}
		out = append(out, st)
	}
	return out, rows.Err()
}

// Akin reports whether two prints could be slicings of one model: they are as wide, as
// deep and as high.
func (a *Stand) Akin(b *Stand) bool {
	return a.Kind == layer.Layered && b.Kind == layer.Layered && a.Layers > 1 && b.Layers > 1 &&
		a.SHA256 != b.SHA256 && math.Abs(a.Wide-b.Wide) < kinAcross &&
		math.Abs(a.Deep-b.Deep) < kinAcross && math.Abs(a.High-b.High) < kinHigh
}

// How near two prints must come in their measures to be taken for slicings of one model,
// mm.
const (
	kinAcross = 1.5
	kinHigh   = 1
)

// Kin returns the prints that are akin to a print and itself, the coarsest first.
func (s *Store) Kin(ctx context.Context, id int64, most int) ([]int64, error) {
	return s.numbers(ctx, `SELECT p.id FROM prints p JOIN faces f ON f.print_id = p.id,
		(SELECT * FROM faces JOIN prints ON id = print_id WHERE print_id = ?1) me
		WHERE p.state = 'ready' AND p.removed IS NULL AND (p.id = ?1
			OR f.kind = 'layered' AND me.kind = 'layered' AND f.layers > 1 AND me.layers > 1
			AND p.sha256 <> me.sha256 AND abs(f.wide - me.wide) < ?2 AND abs(f.deep - me.deep) < ?2)
		AND f.high > me.high - ?3 AND f.high < me.high + ?3
		ORDER BY f.step DESC, p.id = ?1 DESC, p.created DESC, p.id DESC LIMIT ?4`, id, kinAcross, kinHigh,
		most)
}

// OfBytes returns a print on the shelf whose file has a SHA-256, ErrNone when there is none.
func (s *Store) OfBytes(ctx context.Context, sha256 string) (Print, error) {
	return s.Same(ctx, Print{SHA256: sha256})
}

// Same returns another print on the shelf with the same bytes, ErrNone when there is none.
func (s *Store) Same(ctx context.Context, p Print) (Print, error) {
	o, err := scanPrint(s.db.QueryRowContext(ctx, `SELECT `+printColumns+` FROM prints
		WHERE sha256 = ? AND id <> ? AND `+standing+` ORDER BY id DESC LIMIT 1`, p.SHA256, p.ID))
	if errors.Is(err, sql.ErrNoRows) {
		return o, ErrNone
	}
	return o, err
}
