#!/usr/bin/env bash
# Makes the golden lists of this folder: the names of names.txt and of random.txt as real
# programs sort them, in Debian's versions of 2026. Run it anywhere. Needs
#   apt-get install locales gcc pkg-config libglib2.0-dev nodejs
# code-point: sort in the C locale; dictionary: sort in en_US.UTF-8; desktop: the keys of
# GLib for file names; alphabetical, natural: ICU, its root and numbers by value.
set -euo pipefail
cd "$(dirname "$0")"
tmp=$(mktemp -d)
trap 'rm -rf "$tmp"' EXIT
cat > "$tmp/desktop.c" <<'C'
#include <glib.h>
#include <locale.h>
#include <stdio.h>
#include <string.h>

typedef struct { char *name, *key; } row;

static int compare(const void *a, const void *b) {
	const row *x = a, *y = b;
	int d = strcmp(x->key, y->key);
	return d != 0 ? d : strcmp(x->name, y->name);
}

int main(void) {
	GArray *rows = g_array_new(FALSE, FALSE, sizeof(row));
	char *line = NULL;
	size_t room = 0;
	setlocale(LC_ALL, "");
	while (getline(&line, &room, stdin) > 0) {
		g_strchomp(line);
		row r = { g_strdup(line), g_utf8_collate_key_for_filename(line, -1) };
		g_array_append_val(rows, r);
	}
	qsort(rows->data, rows->len, sizeof(row), compare);
	for (guint i = 0; i < rows->len; i++) puts(g_array_index(rows, row, i).name);
	return 0;
}
C
gcc -o "$tmp/desktop" "$tmp/desktop.c" $(pkg-config --cflags --libs glib-2.0)
icu() {
	node -e '
		const names = require("fs").readFileSync(0, "utf8").split("\n").filter(Boolean);
		const order = new Intl.Collator("und", { numeric: process.argv[1] === "numeric" });
		const byCode = (a, b) => Buffer.compare(Buffer.from(a), Buffer.from(b));
		console.log(names.sort((a, b) => order.compare(a, b) || byCode(a, b)).join("\n"));' "$1"
}
for set in names random; do
	mkdir -p "$set"
	LC_ALL=C sort < "$set.txt" > "$set/code-point.txt"
	LC_ALL=en_US.UTF-8 sort < "$set.txt" > "$set/dictionary.txt"
	LC_ALL=en_US.UTF-8 "$tmp/desktop" < "$set.txt" > "$set/desktop.txt"
	icu letters < "$set.txt" > "$set/alphabetical.txt"
	icu numeric < "$set.txt" > "$set/natural.txt"
done
