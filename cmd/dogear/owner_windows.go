package main

import "os"

// links is how many names a file has; nobody counts them here.
func links(os.FileInfo) uint64 { return 1 }

// ownAs gives a file the owner of another: here it has the folder's.
func ownAs(string, os.FileInfo) error { return nil }
