package access

// MaxTries is the constant, for tests from outside.
const MaxTries = maxTries
