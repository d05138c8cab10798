package disk

// Writable returns nil: whether something can be made in a folder of Windows
// is only known by trying, and what was made is taken back if it fails.
func (p *Place) Writable(string) error { return nil }
