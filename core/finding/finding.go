// Package finding is what the core has to say about a file: a level, a code, a place and a
// sentence. All that read, write or examine files report in it, and one order of gravity holds
// everywhere: [Stop] before [Care] before [Note].
package finding

import (
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Level is how grave a finding is. The zero value says that nothing was found.
type Level string

// The levels, by rising gravity.
const (
	Note Level = "note" // worth knowing
	Care Level = "care" // somebody should look at it
	Stop Level = "stop" // the file is not written, unless somebody accepts it by name
)

// gravity orders the levels; a level that is not known is none.
var gravity = map[Level]int{Note: 1, Care: 2, Stop: 3}

// Compare returns -1 when l is less grave than m, +1 when it is graver, and 0 when they are alike.
func (l Level) Compare(m Level) int { return cmp.Compare(gravity[l], gravity[m]) }

// Finding is something worth saying about a file.
type Finding struct {
	Level   Level  `json:"level"`
	Code    string `json:"code"`
	Line    int64  `json:"line"` // 1-based
	Message string `json:"message"`
	// Of an edited file's lines: whose block the line stands in, and the line of
	// the original that comes there.
	Ear      string `json:"ear,omitempty"`
	Original int64  `json:"original_line,omitempty"`
	// Of code "moved": by what an ear found its place, one of the By… words.
	By string `json:"by,omitempty"`
}

// By what an ear of a plan for another file finds its place.
const (
	ByHeight   = "height"
	ByLandmark = "landmark" // what is to be seen at its fold, which lies at another height here
	ByBoth     = "height and landmark"
	ByPath     = "path"   // a path begins there as it did, inside a layer
	ByNumber   = "number" // nothing better is known
)

// Name is how a finding is accepted: CODE@LINE.
func (f *Finding) Name() string { return fmt.Sprintf("%s@%d", f.Code, f.Line) }

// CheckName says what is wrong with the name of a finding.
func CheckName(name string) error {
	code, line, ok := strings.Cut(name, "@")
	n, err := strconv.ParseInt(line, 10, 64)
	if !ok || code == "" || err != nil || n < 1 {
		return fmt.Errorf("%q names no finding; write CODE@LINE, as in drag@1234", name)
	}
	return nil
}

// Sort puts the gravest first, and leaves those of one level in their order.
func Sort(all []Finding) {
	slices.SortStableFunc(all, func(a, b Finding) int { return b.Level.Compare(a.Level) })
}

// Gravest returns the first finding of level [Stop]; nil when there is none.
func Gravest(all []Finding) *Finding {
	for i := range all {
		if all[i].Level == Stop {
			return &all[i]
		}
	}
	return nil
}
