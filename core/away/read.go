package away

import (
	"vestibula/core/place"
)

// Read reads the list in a folder, and what it holds; an empty one where there is none.
func Read(dir string) (*List, []byte, error) {
	at, err := place.Open(dir)
	if err != nil {
		return nil, nil, err
	}
	defer at.Close()
	data, err := at.ReadFile(FileName, MaxBytes)
	if err != nil || data == nil {
		return &List{}, nil, err
	}
	l, err := Parse(data)
	return l, data, err
}
