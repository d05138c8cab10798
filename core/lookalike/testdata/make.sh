#!/usr/bin/env bash
# Makes ../table.txt and the golden list of this folder: what characters and names look
# like by Unicode Technical Standard #39, "Unicode Security Mechanisms", section 4, as
# ICU has its table. Needs, in Debian: apt-get install gcc pkg-config libicu-dev
set -euo pipefail
cd "$(dirname "$0")"
tmp=$(mktemp -d)
trap 'rm -rf "$tmp"' EXIT
cat > "$tmp/skeleton.c" <<'C'
#include <stdio.h>
#include <string.h>
#include <unicode/uchar.h>
#include <unicode/unorm2.h>
#include <unicode/uspoof.h>

// With an argument, each line of the input with its skeleton; else a line for each
// character that is not its own.
int main(int argc, char **argv) {
	UErrorCode status = U_ZERO_ERROR;
	USpoofChecker *checker = uspoof_open(&status);
	char text[4096], skeleton[4096];
	if (argc > 1) {
		while (fgets(text, sizeof text, stdin)) {
			text[strcspn(text, "\n")] = 0;
			uspoof_getSkeletonUTF8(checker, 0, text, -1, skeleton, sizeof skeleton, &status);
			printf("%s\t%s\n", text, skeleton);
		}
		return U_FAILURE(status);
	}
	const UNormalizer2 *nfd = unorm2_getNFDInstance(&status);
	for (UChar32 c = 0x20; c < 0x110000; c++) {
		UChar parts[32];
		int n = 0;
		UBool bad = 0;
		if (U_IS_SURROGATE(c) || !u_isdefined(c) || unorm2_getRawDecomposition(nfd, c, parts, 32, &status) >= 0) continue;
		U8_APPEND((uint8_t *)text, n, 16, c, bad);
		text[n] = 0;
		uspoof_getSkeletonUTF8(checker, 0, text, n, skeleton, sizeof skeleton, &status);
		if (strcmp(text, skeleton) != 0) printf("%s\t%s\n", text, skeleton);
	}
	return U_FAILURE(status);
}
C
gcc -o "$tmp/skeleton" "$tmp/skeleton.c" $(pkg-config --cflags --libs icu-uc icu-i18n)
LC_ALL=C.UTF-8 "$tmp/skeleton" > ../table.txt
LC_ALL=C.UTF-8 "$tmp/skeleton" names < names.txt > skeletons.txt
