package gate

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"slices"

	"dogear/core/edit"
	"dogear/core/layer"
)

// Kept is what is kept of a release, so that the very bytes that were examined can be written
// again later, whatever has become of plan and Kit.
type Kept struct {
	Edits []edit.Edit `json:"edits"`
	Seal  string      `json:"seal"`
	// SHA256 is that of the finished bytes as they were examined.
	SHA256 string `json:"sha256,omitempty"`
}

// ErrNotExamined is the cause when what was kept is not what was examined.
var ErrNotExamined = errors.New("what was kept of this file is not what was examined")

// Keep returns what is kept of a release. It fails as [Release.Write] does.
func (r *Release) Keep() (Kept, error) {
	file, _, err := r.Reader()
	if err != nil {
		return Kept{}, err
	}
	sum, err := sumOf(file)
	return Kept{Edits: slices.Clone(r.edits), Seal: r.Seal(), SHA256: sum}, err
}

// Release brings a release back. The finished bytes are read once: only those that were examined
// go out.
func (k *Kept) Release(src layer.Source) (*Release, error) {
	sum, err := sumOf(edit.NewReader(src, k.Edits))
	if err != nil {
		return nil, err
	}
	if k.SHA256 == "" || sum != k.SHA256 {
		return nil, ErrNotExamined
	}
	return &Release{src: src, edits: k.Edits, kept: k.Seal}, nil
}

func sumOf(r io.Reader) (string, error) {
	h := sha256.New()
	if _, err := io.Copy(h, r); err != nil {
		return "", err
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}
