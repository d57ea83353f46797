package bench

// ThreadPath is a path of the thread, for tests from outside.
type ThreadPath = threadPath

// Landmarks are those of a print, for tests from outside.
var Landmarks = landmarks
