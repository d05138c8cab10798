package place

// owned cannot be told here.
func owned(string) bool { return true }
