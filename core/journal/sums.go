package journal

import "vestibula/core/tree"

// Sums returns the checksums of the files and links of a tree, by their paths.
func Sums(root *tree.Node) (map[string]string, error) {
	sums := map[string]string{}
	for at, n := range root.All() {
		if n.Kind == tree.Folder {
			continue
		}
		sum, err := SumOf(n)
		if err != nil {
			return nil, err
		}
		sums[at] = sum
	}
	return sums, nil
}
