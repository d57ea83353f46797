package kit

// EditURL is the address at which an item is edited, for tests from outside.
var EditURL = editURL
