package reading

import (
	"context"
	"errors"

	"dogear/core/apply"
	"dogear/core/finding"
	"dogear/core/gate"
	"dogear/core/plan"
	"dogear/store"
)

// carry lays what is marked in the older version of a print onto it, by height and
// by what is seen there, and keeps what is to be said of it.
func (j *Jobs) carry(ctx context.Context, p store.Print, r *store.Reading) error {
	if _, _, redo, err := j.Store.Plan(ctx, p.ID); err != nil || redo {
		return err // somebody has undone what was carried
	}
	older, err := j.Store.Print(ctx, p.Older)
	if err != nil {
		return err
	}
	was, err := j.Books.Get(ctx, older)
	if err != nil {
		return err
	}
	doc, _, _, err := j.Store.Plan(ctx, older.ID)
	if err != nil || len(doc.Ears)+len(doc.Changes)+len(doc.Mutes) == 0 && doc.First == "" {
		return err
	}
	if err := apply.Anchor(was.Src, was.Ix, doc, was.Marks); err != nil {
		return err
	}
	doc.File, doc.Accept = &plan.File{SHA256: older.SHA256, Name: older.Name}, nil
	if doc.File.Shape, err = apply.ShapeOf(was.Src, was.Ix); err != nil {
		return err
	}
	report, err := gate.Onto{SHA256: p.SHA256, Reanchor: true}.Move(j.Store.Source(p),
		r.Index, doc, r.Landmarks)
	if errors.Is(err, gate.ErrOtherModel) {
		return j.Store.SaveCarried(ctx, p.ID, []finding.Finding{{Level: finding.Care,
			Code: "other-model", Line: 1, Message: "No marks were carried: " + err.Error() + "."}})
	} else if err != nil {
		return err
	}
	doc.File = nil
	if report == nil {
		report = []finding.Finding{}
	}
	if err := j.Store.Change(ctx, p.ID,
		func(now *plan.Plan) error { *now = *doc; return nil }); err != nil {
		return err
	}
	return j.Store.SaveCarried(ctx, p.ID, report)
}
