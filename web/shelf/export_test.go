package shelf

// Page is how many prints are sent at a time, for tests from outside.
const Page = shelfPage
