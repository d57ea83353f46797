package access

// MostTries is the constant, for tests from outside.
const MostTries = mostTries
