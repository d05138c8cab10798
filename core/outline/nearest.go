package outline

// Nearest returns the candidate that a person who typed word most likely
// meant, or "" where none is near: at most one slip in three letters.
func Nearest(word string, candidates []string) string {
	best, limit := "", (len([]rune(word))+1)/3+1
	for _, c := range candidates {
		if d := Slips([]rune(word), []rune(c), limit); d < limit {
			best, limit = c, d
		}
	}
	return best
}

// Meant is what to say of a word that is none of those known: which of them was most likely meant, else
// something other.
func Meant(word string, known []string, other string) string {
	if near := Nearest(word, known); near != "" {
		return "did you mean " + near + "?"
	}
	return other
}

// OneSlip reports whether two words differ by one slip. Words of one or two letters never count.
func OneSlip(a, b string) bool {
	return min(len(a), len(b)) > 2 && Slips([]rune(a), []rune(b), 1) == 1
}

// Slips is by how many wrong, missing, additional or swapped letters two texts differ, as far as these are
// at most limit; else it is more than that. It is the optimal string alignment distance (Damerau 1964,
// Levenshtein 1966).
func Slips(a, b []rune, limit int) int {
	if len(a)-len(b) > limit || len(b)-len(a) > limit {
		return limit + 1
	}
	before, last, row := make([]int, len(b)+1), make([]int, len(b)+1), make([]int, len(b)+1)
	for j := range last {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(row[j-1]+1, last[j]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, last, row = last, row, before
	}
	return last[len(b)]
}
