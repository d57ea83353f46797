package watch

import "dogear/web/site"

// Moment is what the page is told, for tests from outside.
type Moment = watchMoment

// Hour is how long an hour of the watch takes.
func Hour(on *site.Site) string { return (&pages{on}).hour() }
