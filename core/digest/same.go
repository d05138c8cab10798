package digest

import "io"

// headBytes is how much of each file is compared before all of it is.
const headBytes = 64 << 10

// Same parts files of one size, numbered from 0 on, by what they hold, each part in the
// order of its numbers. Of large files, the begin is read first, and the rest only where
// that is equal. Failed is told of a file that cannot be read; it is in no part.
func Same(n int, size int64, open func(i int) (io.ReadCloser, error), failed func(i int, err error)) (parts [][]int) {
	all := make([]int, n)
	for i := range all {
		all[i] = i
	}
	for _, alike := range parted(all, headBytes, open, failed) {
		if size > headBytes && len(alike) > 1 {
			parts = append(parts, parted(alike, size+1, open, failed)...)
		} else {
			parts = append(parts, alike)
		}
	}
	return parts
}

// parted parts files by the checksums of so much of each.
func parted(list []int, most int64, open func(i int) (io.ReadCloser, error), failed func(i int, err error)) (parts [][]int) {
	if len(list) < 2 {
		return [][]int{list}
	}
	at := map[string]int{}
	for _, i := range list {
		sum, err := sumOf(i, most, open)
		if err != nil {
			failed(i, err)
			continue
		}
		k, known := at[sum]
		if !known {
			k = len(parts)
			at[sum] = k
			parts = append(parts, nil)
		}
		parts[k] = append(parts[k], i)
	}
	return parts
}

func sumOf(i int, most int64, open func(i int) (io.ReadCloser, error)) (string, error) {
	r, err := open(i)
	if err != nil {
		return "", err
	}
	defer r.Close()
	return Of(io.LimitReader(r, most))
}
