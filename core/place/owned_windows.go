package place

// Owned reports whether a folder belongs to the person who runs the program, which
// cannot be told here.
func Owned(string) bool { return true }
