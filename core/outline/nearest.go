package outline

// Nearest returns the candidate that a person who typed word most likely
// meant, or "" where none is near: at most one wrong, missing, additional or
// swapped letter in three. The distance is the optimal string alignment
// distance (Damerau 1964, Levenshtein 1966).
func Nearest(word string, candidates []string) string {
	best, limit := "", (len([]rune(word))+1)/3+1
	for _, c := range candidates {
		if d := distance([]rune(word), []rune(c)); d < limit {
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

// OneLetterApart reports whether two words differ by one wrong, missing,
// additional or swapped letter. Words of one or two letters never count.
func OneLetterApart(a, b string) bool {
	return min(len(a), len(b)) > 2 && distance([]rune(a), []rune(b)) == 1
}

func distance(a, b []rune) int {
	rows := make([][]int, len(a)+1)
	for i := range rows {
		rows[i] = make([]int, len(b)+1)
		rows[i][0] = i
	}
	for j := range rows[0] {
		rows[0][j] = j
	}
	for i := 1; i <= len(a); i++ {
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			rows[i][j] = min(rows[i-1][j]+1, rows[i][j-1]+1, rows[i-1][j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				rows[i][j] = min(rows[i][j], rows[i-2][j-2]+1)
			}
		}
	}
	return rows[len(a)][len(b)]
}
