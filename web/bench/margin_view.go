package bench

import (
	"html/template"

	"dogear/core/finding"
	"dogear/web/fields"
	"dogear/web/site"
)

// marginView is the column of notes beside the book: what is marked, and a card for each thing
// that is to be known besides.
type marginView struct {
	ID         int64
	Version    string // of what is marked
	Undo, Redo bool
	Data       string // the ears and bands for the scripts, as JSON
	Said       string // what was done, for the live region
	Problem    string // why the marks cannot be laid onto the file as they are
	Layers     int
	Written    site.WrittenView

	Ears    []earView
	Mutes   []muteView
	Changes []changeView

	filamentCard
	printerCard
	planCard
	versionCard
	foundCard
}

// filamentCard is which filaments the print takes.
type filamentCard struct {
	First, FirstName string // in which it begins
	Filaments        []swatch
	Totals           []totalView
}

// printerCard is which printer the print is for.
type printerCard struct {
	Printer  string // its name
	Printers []fields.Choice
	Acquaint *acquaintView // nobody has said which printer this is for
}

// planCard is what came of a plan that was brought.
type planCard struct {
	Report    []finding.Finding
	Picture   template.URL // of the print that it was made for
	PlanOf    string       // its file
	OtherWhy  string       // why it is not laid on: it was made for another model
	OtherPlan string       // that plan
}

// versionCard is to which slicings of its model the print belongs.
type versionCard struct {
	Versions []versionView
	Carried  []finding.Finding // what became of the marks of the one before, until it is read
}

// foundCard is what the file came with.
type foundCard struct {
	Found     []foundView
	MoreFound int // that are not listed
	Ours      int // stops that Dogear wrote into it
}

// muteView is a run of muted lines in the margin.
type muteView struct {
	From, To int64
	Layer    int
}

// foundView is a stop that was in the file before Dogear.
type foundView struct {
	Line   int64  `json:"line"`
	Before int    `json:"before"`
	Inside int64  `json:"inside"` // its line, when it stands inside that layer
	Title  string `json:"title"`  // what it says, else what it is there for
	Word   string `json:"-"`
	Does   string `json:"-"`
	Stays  bool   `json:"-"` // its line cannot be left out
}

// totalView is what the print takes of one filament.
type totalView struct {
	Name, Colour               string
	Laid, Purged, Grams, Bands string
}
